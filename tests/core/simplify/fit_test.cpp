// Vertices of a reduced surface, moved to where it lies nearest to its original.

#include "simplify/fit.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "simplify/reduce.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

constexpr double kNoLimit = std::numeric_limits<double>::infinity();

double hills(double u, double v) {
    return 0.1 * std::sin(7 * u) * std::cos(5 * v) + 0.02 * std::sin(23 * u + 17 * v);
}

MeshPtr reducedTo(const Mesh& mesh, std::size_t triangles) {
    ReducerOptions options;
    options.placement = Placement::Optimal;
    Reducer reducer(mesh, options);
    EXPECT_TRUE(reducer.reduceTo(triangles, kNoLimit, noProgress()));
    return finishMesh(reducer.mesh());
}

MeshPtr fitted(const Mesh& original, const MeshPtr& reduced, std::span<const Vec3f> held = {},
               double maxDeviation = kNoLimit) {
    return fitVertices(Surface(original), reduced, held, maxDeviation, noProgress()).value();
}

std::vector<Vec3f> facesOf(const Mesh& mesh) {
    std::vector<Vec3f> result;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> at = positionsOf(part);
        forEachTriangle(part, [&](const Corners& t) {
            result.push_back((at[t[1]] - at[t[0]]).cross(at[t[2]] - at[t[0]]));
        });
    }
    return result;
}

TEST(Fit, LiesNearerAndNoFartherAtTheMost) {
    const Mesh mesh = *finishMesh(test::makeGrid(80, 80, 1, hills));
    for (const std::size_t triangles : {4000, 800, 100}) {
        const MeshPtr reduced = reducedTo(mesh, triangles);
        const MeshPtr moved = fitted(mesh, reduced);
        const Surface surface(mesh);
        const Deviation before = measureDeviation(surface, *reduced);
        const Deviation after = measureDeviation(surface, *moved);
        EXPECT_LT(after.mean, 0.95 * before.mean) << triangles;
        EXPECT_LE(after.largest, before.largest) << triangles;
        EXPECT_EQ(moved->triangles, reduced->triangles);
    }
}

TEST(Fit, FindsThePlaneBesideWhichAVertexLies) {
    // A flat square whose middle was lifted by mistake: the original says where it belongs.
    const Mesh flat = *finishMesh(test::makeGrid(10, 10));
    const auto inMiddle = [](double u, double v) {
        return std::hypot(u - 0.5, v - 0.5) < 0.1 ? 0.02 : 0.0;
    };
    const MeshPtr lifted = finishMesh(test::makeGrid(2, 2, 1, inMiddle));
    const MeshPtr moved = fitted(flat, lifted);
    for (const Vec3f& p : positionsOf(moved->parts[0])) EXPECT_NEAR(p.y(), 0, 0.001);
}

TEST(Fit, LeavesBordersAndHeldVerticesWhereTheyAre) {
    const Mesh mesh = *finishMesh(test::makeGrid(40, 40, 1, hills));
    const MeshPtr reduced = reducedTo(mesh, 300);
    const std::vector<Vec3f> before = positionsOf(reduced->parts[0]);
    const auto isInside = [](const Vec3f& p) {
        const Vec3f off = p - Vec3f(0.5F, 0, 0.5F);
        return std::max(std::fabs(off.x()), std::fabs(off.z())) < 0.499F;
    };
    std::vector<Vec3f> held;
    for (const Vec3f& p : before)
        if (isInside(p) && held.size() < 5) held.push_back(p);
    ASSERT_EQ(held.size(), 5);
    const std::vector<Vec3f> after = positionsOf(fitted(mesh, reduced, held)->parts[0]);
    std::size_t moved = 0;
    for (std::size_t v = 0; v < before.size(); ++v) {
        const bool stays =
            !isInside(before[v]) || std::find(held.begin(), held.end(), before[v]) != held.end();
        if (stays) {
            EXPECT_EQ(after[v], before[v]);
        }
        moved += after[v] != before[v];
    }
    EXPECT_GT(moved, before.size() / 2);
}

TEST(Fit, TurnsNoFaceAndOpensNoSeam) {
    const Mesh mesh = *finishMesh(test::makeSphere(64, 48));
    const MeshPtr reduced = reducedTo(mesh, 200);
    const MeshPtr moved = fitted(mesh, reduced);
    ASSERT_NE(moved, reduced);
    EXPECT_EQ(test::describeEdges(*moved), test::describeEdges(*reduced));
    const std::vector<Vec3f> before = facesOf(*reduced);
    const std::vector<Vec3f> after = facesOf(*moved);
    for (std::size_t t = 0; t < before.size(); ++t) EXPECT_GT(after[t].dot(before[t]), 0);
}

TEST(Fit, ThinSheetsStayApart) {
    // Two sheets 2 mm apart, coarser than that: what is nearest is often the wrong one.
    const auto wave = [](double u, double v) { return 0.05 * std::sin(9 * u) * std::sin(8 * v); };
    Mesh mesh = test::makeGrid(60, 60, 1, wave);
    Part under = test::makeGrid(60, 60, 1, wave).parts[0];
    std::vector<Vec3f> lower = positionsOf(under);
    for (Vec3f& p : lower) p.y() -= 0.002F;
    under.set("POSITION", makeStream(lower));
    for (std::size_t i = 0; i < under.indices.size(); i += 3)
        std::swap(under.indices[i], under.indices[i + 1]);
    mesh.parts.push_back(under);
    mesh = *finishMesh(std::move(mesh));
    const MeshPtr reduced = reducedTo(mesh, 300);
    const MeshPtr moved = fitted(mesh, reduced);
    const Surface surface(mesh);
    EXPECT_LE(measureDeviation(surface, *moved).mean, measureDeviation(surface, *reduced).mean);
    // Nothing is drawn to the other sheet: all faces look as they did. (One in a few hundred of
    // steep waves may lie on its side already.)
    const std::vector<Vec3f> before = facesOf(*reduced);
    const std::vector<Vec3f> faces = facesOf(*moved);
    const std::size_t upper = moved->parts[0].triangleCount();
    std::size_t wrong = 0;
    for (std::size_t t = 0; t < faces.size(); ++t) {
        EXPECT_GT(faces[t].dot(before[t]), 0) << t;
        wrong += (t < upper ? faces[t].y() : -faces[t].y()) <= 0;
    }
    EXPECT_LE(wrong, 1U);
}

TEST(Fit, AttributesGoWithTheirPlaces) {
    // Texture coordinates are the ground's own, so that each tells where it belongs.
    const Mesh mesh = *finishMesh(test::makeGrid(80, 80, 1, hills));
    const MeshPtr reduced = reducedTo(mesh, 300);
    const MeshPtr moved = fitted(mesh, reduced);
    const auto slideOf = [](const Mesh& each) {
        const Part& part = each.parts[0];
        const std::vector<Vec3f> at = positionsOf(part);
        const Stream& coords = *part.find("TEXCOORD_0");
        double sum = 0;
        for (std::size_t v = 0; v < at.size(); ++v)
            sum += std::hypot(coords.value(v, 0) - at[v].x(), coords.value(v, 1) - at[v].z());
        return sum / static_cast<double>(at.size());
    };
    ASSERT_LT(slideOf(mesh), 1e-6);
    EXPECT_LT(slideOf(*moved), slideOf(*reduced) + 0.001);
}

TEST(Fit, NormalsStayThoseOfTheSurface) {
    const Mesh ball = *finishMesh(test::makeSphere(64, 48));
    const MeshPtr reduced = reducedTo(ball, 300);
    const MeshPtr moved = fitted(ball, reduced);
    ASSERT_NE(moved, reduced);
    EXPECT_LT(Surface(ball).attributesFrom(*moved, 20'000).normal, 0.1) << "degrees";
    for (const Vec3f& n : toVectors(*moved->parts[0].find("NORMAL")))
        EXPECT_NEAR(n.norm(), 1, 1e-5);
}

TEST(Fit, KeepsToALimit) {
    const Mesh mesh = *finishMesh(test::makeGrid(60, 60, 1, hills));
    ReduceOptions options;
    options.maxDeviation = 0.004;
    options.reducer.placement = Placement::Optimal;
    const auto reduced = reduce(mesh, options, noProgress());
    ASSERT_TRUE(reduced);
    EXPECT_LE(reduced->deviation, 0.004);
    EXPECT_NEAR(reduced->deviation, measureDeviation(Surface(mesh), *reduced->mesh).largest, 1e-9);
}

TEST(Fit, LeavesWhatIsExactAndWhatDeforms) {
    const Mesh flat = *finishMesh(test::makeGrid(20, 20));
    const MeshPtr exact = finishMesh(test::makeGrid(2, 2));
    EXPECT_EQ(fitted(flat, exact), exact);

    Mesh target = test::makeGrid(40, 40, 1, hills);
    Part& part = target.parts[0];
    part.targets.push_back(
        {{"POSITION", std::make_shared<const Stream>(
                          makeStream(std::vector<Vec3f>(part.vertexCount(), Vec3f::UnitY())))}});
    const MeshPtr morphing = reducedTo(*finishMesh(std::move(target)), 200);
    EXPECT_EQ(fitted(*morphing, morphing), morphing);
}

TEST(Fit, StopsWhenAsked) {
    const test::RecordingProgress cancelled(0);
    const Mesh mesh = *finishMesh(test::makeGrid(40, 40, 1, hills));
    const MeshPtr reduced = reducedTo(mesh, 200);
    const auto stopped = fitVertices(Surface(mesh), reduced, {}, kNoLimit, cancelled);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
}

}  // namespace
}  // namespace flentro
