// What is left out before a mesh is reduced, and given back.

#include <gtest/gtest.h>

#include <map>
#include <random>
#include <set>

#include "geometry/crease.h"
#include "simplify/reduce.h"
#include "support/meshes.h"
#include "support/textbook_collapse.h"

namespace flentro {
namespace {

using Place = std::array<float, 3>;

Place placeOf(const Vec3f& point) {
    return {point.x(), point.y(), point.z()};
}

/// Triangles by their places, the smallest first, and which way round they run.
std::map<std::set<Place>, int> sidesOf(const Mesh& mesh) {
    std::map<std::set<Place>, int> sides;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> points = positionsOf(part);
        forEachTriangle(part, [&](const Corners& t) {
            ++sides[{placeOf(points[t[0]]), placeOf(points[t[1]]), placeOf(points[t[2]])}];
        });
    }
    return sides;
}

Reduced reduceTo(const Mesh& mesh, std::size_t triangles) {
    ReduceOptions options;
    options.targetTriangles = triangles;
    options.reducer.placement = Placement::Optimal;
    return reduce(mesh, options, noProgress()).value();
}

double waves(double x, double z) {
    return 0.2 * std::sin(9 * x) * std::cos(7 * z);
}

/// A wavy sheet with each face twice, and a ball far from it, in one part without normals.
Mesh sheetAndBall() {
    const Mesh sheet = test::makeGrid(20, 20, 2, waves);
    const Mesh ball = test::makeSphere(32, 16, 0.5);
    std::vector<Vec3f> points = positionsOf(sheet.parts[0]);
    std::vector<std::uint32_t> indices;
    forEachTriangle(sheet.parts[0], [&](const Corners& t) {
        indices.insert(indices.end(), {t[0], t[1], t[2], t[2], t[1], t[0]});
    });
    const auto first = static_cast<std::uint32_t>(points.size());
    for (const Vec3f& p : positionsOf(ball.parts[0])) points.push_back(p + Vec3f(8, 0, 0));
    for (const std::uint32_t i : ball.parts[0].indices) indices.push_back(first + i);
    Mesh both;
    both.parts.push_back(smoothByCrease(test::makePart(points, indices), kCreaseAngle));
    return *finishMesh(std::move(both));
}

TEST(PlainMesh, SheetsWithAFaceForEitherSideAreReducedAsOne) {
    const Mesh both = sheetAndBall();
    ASSERT_EQ(both.triangles, 800U * 2 + 32 * 16 * 2);
    const std::size_t wanted = both.triangles * 2 / 5;
    const Reduced result = reduceTo(both, wanted);
    EXPECT_LE(result.mesh->triangles, wanted);
    EXPECT_GE(result.mesh->triangles, wanted - 4);
    EXPECT_EQ(result.mesh->parts.size(), 1U) << "one draw call, as before";
    std::size_t doubled = 0;
    std::size_t ofBall = 0;
    for (const auto& [places, sides] : sidesOf(*result.mesh)) {
        const bool isBall = (*places.begin())[0] > 4;
        EXPECT_EQ(sides, isBall ? 1 : 2);
        (isBall ? ofBall : doubled) += static_cast<std::size_t>(sides);
    }
    EXPECT_GT(ofBall, 200U);
    EXPECT_GT(doubled, 100U);
    EXPECT_LT(result.deviation, 0.06);
}

TEST(PlainMesh, BothSidesKeepTheirNormals) {
    const Reduced result = reduceTo(sheetAndBall(), 600);
    for (const Part& part : result.mesh->parts) {
        const std::vector<Vec3f> points = positionsOf(part);
        const std::vector<Vec3f> normals = toVectors(*part.find("NORMAL"));
        forEachTriangle(part, [&](const Corners& t) {
            const Vec3f face = (points[t[1]] - points[t[0]]).cross(points[t[2]] - points[t[0]]);
            for (const std::uint32_t v : t) {
                EXPECT_NEAR(normals[v].norm(), 1, 1e-4);
                EXPECT_GT(normals[v].dot(face), 0);
            }
        });
    }
}

/// Where two faces of a pair show other pictures, they stay two.
TEST(PlainMesh, SidesThatLookDifferentAreNoSheet) {
    Part part = test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 0, 1}, {0, 0, 0}, {1, 0, 0}, {0, 0, 1}},
                               {0, 2, 1, 3, 4, 5});
    Mesh mesh;
    mesh.parts = {part};
    EXPECT_TRUE(PlainMesh(*finishMesh(mesh), true).hasSheets());
    test::addStream(
        part, "TEXCOORD_0",
        makeStream(std::vector<Vec2f>{{0, 0}, {1, 0}, {0, 1}, {0.5F, 0}, {0.7F, 0}, {0.5F, 0.2F}}));
    mesh.parts = {part};
    EXPECT_FALSE(PlainMesh(*finishMesh(mesh), true).hasSheets());
}

/// A rough ball gets a crease at every second vertex from its noise: no reason to stay there.
TEST(PlainMesh, CreasesOfNoiseHoldNothing) {
    Mesh rough = test::makeSphere(160, 80);
    std::mt19937 random(5);
    std::uniform_real_distribution<float> noise(-0.012F, 0.012F);
    std::map<Place, float> lift;
    std::vector<Vec3f> points = positionsOf(rough.parts[0]);
    for (Vec3f& point : points)
        point *= 1 + lift.try_emplace(placeOf(point), noise(random)).first->second;
    // As programs do it that look at each edge by itself.
    const Part plainBall = test::makePart(points, rough.parts[0].indices);
    rough.parts[0] = smoothByCorners(
        plainBall, std::vector<Vec3f>(plainBall.indices.size(), Vec3f::Zero()), kCreaseAngle);
    rough = *finishMesh(std::move(rough));
    ASSERT_GT(rough.vertices, 16'000U) << "12,720 places: many have several normals";
    const Reduced result = reduceTo(rough, rough.triangles / 10);
    const Surface surface(rough);
    const Mesh plain = *finishMesh(test::textbookCollapse(rough, result.mesh->triangles));
    EXPECT_LT(measureDeviation(surface, *result.mesh).mean, measureDeviation(surface, plain).mean);
    EXPECT_LT(result.mesh->vertices, 0.8 * static_cast<double>(result.mesh->triangles))
        << "and the result is smooth: half as many vertices as triangles, and some seams";
}

TEST(PlainMesh, EdgesOfABlockStayHard) {
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> indices;
    const auto wall = [&](const Vec3f& origin, const Vec3f& u, const Vec3f& v) {
        constexpr int kCells = 6;
        const auto first = static_cast<std::uint32_t>(points.size());
        for (int i = 0; i <= kCells; ++i)
            for (int k = 0; k <= kCells; ++k)
                points.emplace_back(origin + static_cast<float>(i) * u / kCells +
                                    static_cast<float>(k) * v / kCells);
        for (std::uint32_t i = 0; i < kCells; ++i)
            for (std::uint32_t k = 0; k < kCells; ++k) {
                const std::uint32_t a = first + i * (kCells + 1) + k;
                const std::uint32_t b = a + kCells + 1;
                indices.insert(indices.end(), {a, b, b + 1, a, b + 1, a + 1});
            }
    };
    wall({0, 0, 0}, {0, 4, 0}, {4, 0, 0});
    wall({0, 0, 4}, {4, 0, 0}, {0, 4, 0});
    wall({0, 0, 0}, {0, 0, 4}, {0, 4, 0});
    wall({4, 0, 0}, {0, 4, 0}, {0, 0, 4});
    wall({0, 0, 0}, {4, 0, 0}, {0, 0, 4});
    wall({0, 4, 0}, {0, 0, 4}, {4, 0, 0});
    for (Vec3f& point : points) point = (100 * point).array().round() / 100;
    Mesh block;
    block.parts.push_back(smoothByCrease(test::makePart(points, indices), kCreaseAngle));
    const Reduced result = reduceTo(*finishMesh(std::move(block)), 12);
    EXPECT_EQ(describe(*result.mesh), "24v 12t");
    EXPECT_LT(result.deviation, 1e-3);
    for (const Vec3f& normal : toVectors(*result.mesh->parts[0].find("NORMAL")))
        EXPECT_NEAR(normal.cwiseAbs().maxCoeff(), 1, 1e-4);
}

TEST(PlainMesh, LockedPlacesStayLocked) {
    const Mesh ball = [] {
        Mesh mesh = test::makeSphere(24, 12);
        mesh.parts[0] = smoothByCrease(withoutNormals(mesh.parts[0]), kCreaseAngle);
        return *finishMesh(std::move(mesh));
    }();
    std::vector<std::vector<bool>> locked(1);
    std::set<Place> held;
    for (const Vec3f& point : positionsOf(ball.parts[0])) {
        locked[0].push_back(point.y() > 0.6F);
        if (locked[0].back()) held.insert(placeOf(point));
    }
    ReduceOptions options;
    options.targetTriangles = 150;
    options.reducer.placement = Placement::Optimal;
    options.reducer.locked = locked;
    const Reduced result = reduce(ball, options, noProgress()).value();
    ASSERT_LT(result.mesh->triangles, ball.triangles);
    for (const Vec3f& point : positionsOf(result.mesh->parts[0])) held.erase(placeOf(point));
    EXPECT_TRUE(held.empty()) << held.size() << " of the locked places have moved";
}

}  // namespace
}  // namespace flentro
