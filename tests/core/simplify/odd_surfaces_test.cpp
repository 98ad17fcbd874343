// Meshes as files have them: normals that contradict their faces, seams everywhere, needles.

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "io/repair.h"
#include "simplify/deviation.h"
#include "simplify/reduce.h"
#include "support/meshes.h"

namespace flentro {
namespace {

double hills(double x, double z) {
    return 0.05 * std::sin(9 * x) * std::cos(7 * z);
}

/// Across the hills, from a place on them or near.
Vec3f upFrom(const Vec3f& place) {
    const double x = static_cast<double>(place.x());
    const double z = static_cast<double>(place.z());
    return Vec3d(-0.45 * std::cos(9 * x) * std::cos(7 * z), 1,
                 0.35 * std::sin(9 * x) * std::sin(7 * z))
        .cast<float>();
}

Mesh hilly(int cells = 40) {
    return test::makeGrid(cells, cells, 1, hills);
}

/// The mesh with its normals as `change` makes them.
Mesh withNormals(const std::function<Vec3f(std::size_t, const Vec3f&)>& change) {
    Mesh mesh = hilly();
    std::vector<Vec3f> normals = toVectors(*mesh.parts[0].find("NORMAL"));
    for (std::size_t v = 0; v < normals.size(); ++v) normals[v] = change(v, normals[v]);
    mesh.parts[0].set("NORMAL", makeStream(normals));
    return *finishMesh(std::move(mesh));
}

/// No face of a height field may turn over, nothing may be NaN, no edge may open inside.
void expectSound(const Mesh& mesh) {
    double area = 0;
    for (const Part& part : mesh.parts) {
        const std::vector<Vec3f> p = positionsOf(part);
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
            const Vec3f a = p[part.indices[i]], b = p[part.indices[i + 1]],
                        c = p[part.indices[i + 2]];
            const Vec3f n = (b - a).cross(c - a);
            ASSERT_TRUE(n.allFinite());
            EXPECT_GT(n.normalized().dot(upFrom((a + b + c) / 3).normalized()), 0)
                << "face " << i / 3 << " has turned";
            area += static_cast<double>(n.y()) / 2;
        }
    }
    EXPECT_NEAR(area, 1, 0.02) << "a square metre seen from above";
}

class OddSurfaces : public testing::TestWithParam<Placement> {
protected:
    static Mesh reduced(const Mesh& mesh, double share) {
        ReduceOptions options;
        options.targetTriangles =
            static_cast<std::size_t>(share * static_cast<double>(mesh.triangles));
        options.reducer.placement = GetParam();
        const auto result = reduce(mesh, options, noProgress());
        EXPECT_TRUE(result);
        EXPECT_TRUE(result->mesh->triangles <= options.targetTriangles || !result->reason.empty());
        return *result->mesh;
    }
};

TEST_P(OddSurfaces, NormalsThatContradictTheirFaces) {
    const Mesh mesh = withNormals([](std::size_t, const Vec3f& n) { return Vec3f(-n); });
    expectSound(reduced(mesh, 0.1));
    const Mesh half =
        withNormals([](std::size_t v, const Vec3f& n) { return v % 2 == 0 ? Vec3f(-n) : n; });
    expectSound(reduced(half, 0.1));
}

TEST_P(OddSurfaces, NormalsOfZeroAndOfNothing) {
    expectSound(
        reduced(withNormals([](std::size_t, const Vec3f&) { return Vec3f(0, 0, 0); }), 0.1));
    const float nan = std::numeric_limits<float>::quiet_NaN();
    Mesh mesh = withNormals(
        [&](std::size_t v, const Vec3f& n) { return v % 3 == 0 ? Vec3f(nan, nan, nan) : n; });
    // As the reader hands them on.
    Part& part = mesh.parts[0];
    for (Attribute& attribute : part.attributes)
        attribute.stream = makeSound(attribute.stream, attribute.semantic).stream;
    expectSound(reduced(*finishMesh(std::move(mesh)), 0.1));
}

/// Squares of a chequer have texture coordinates of their own: every second edge is a seam.
TEST_P(OddSurfaces, SeamsAtEverySecondEdge) {
    const Mesh smooth = hilly();
    const Part& from = smooth.parts[0];
    std::vector<std::uint32_t> sources, indices;
    for (std::size_t i = 0; i < from.indices.size(); i += 6)  // a square
        for (std::size_t k = 0; k < 6; ++k) {
            indices.push_back(static_cast<std::uint32_t>(sources.size()));
            sources.push_back(from.indices[i + k]);
        }
    Part apart = selectVertices(from, sources, indices);
    std::vector<Vec2f> coords(sources.size());
    for (std::size_t v = 0; v < coords.size(); ++v)
        coords[v] = {static_cast<float>(v / 6 % 7), static_cast<float>(v / 6 % 5)};
    apart.set("TEXCOORD_0", makeStream(coords));
    Mesh mesh;
    mesh.parts.push_back(std::move(apart));
    const Mesh whole = *finishMesh(std::move(mesh));
    expectSound(reduced(whole, 0.5));
    expectSound(reduced(whole, 0.1));
}

TEST_P(OddSurfaces, NeedlesStayForward) {
    // Cells a hundred times longer than wide.
    Mesh mesh = test::makeGrid(200, 2, 1, hills);
    expectSound(reduced(*finishMesh(std::move(mesh)), 0.2));
}

INSTANTIATE_TEST_SUITE_P(Both, OddSurfaces,
                         testing::Values(Placement::Existing, Placement::Optimal),
                         [](const auto& each) {
                             return each.param == Placement::Existing ? "Existing" : "Optimal";
                         });

}  // namespace
}  // namespace flentro
