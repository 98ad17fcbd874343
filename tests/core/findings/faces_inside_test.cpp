// Cuts through meshes whose pieces touch.

#include "findings/faces_inside.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/meshes.h"

namespace flentro {
namespace {

/// Unit cubes side by side along X, each closed.
Mesh cubesInARow(int count) {
    const Part cube = test::makeBox({1, 1, 1}).parts[0];
    std::vector<Vec3f> points;
    std::vector<std::uint32_t> indices;
    for (int i = 0; i < count; ++i) {
        const auto first = static_cast<std::uint32_t>(points.size());
        for (const Vec3f& point : positionsOf(cube))
            points.emplace_back(point + static_cast<float>(i) * Vec3f::UnitX());
        for (const std::uint32_t index : cube.indices) indices.push_back(first + index);
    }
    Mesh mesh;
    mesh.parts.push_back(test::makePart(points, indices));
    return *finishMesh(std::move(mesh));
}

TEST(FacesInside, AreThoseWhereCubesTouch) {
    const Mesh mesh = cubesInARow(3);
    const auto inside = facesInside({}, mesh, weldPositions(mesh));
    EXPECT_EQ(std::count(inside.begin(), inside.end(), true), 2 * 2 * 2)
        << "two contacts, two sides of two triangles";
}

TEST(FacesInside, ACutShowsThemAsLinesAcrossTheOutline) {
    const Mesh mesh = cubesInARow(3);
    const WeldedMesh welded = weldPositions(mesh);
    const MeshCut cut = cutThroughMost(welded, facesInside({}, mesh, welded));
    ASSERT_NE(cut.axis, 0) << "the faces lie across X: only other planes meet them";
    Eigen::AlignedBox2f outline;
    float marked = 0;
    for (const MeshCut::Segment& segment : cut.segments) {
        outline.extend(segment.from).extend(segment.to);
        if (!segment.isMarked) continue;
        marked += (segment.to - segment.from).norm();
        const int x = cut.right == 0 ? 0 : 1;
        EXPECT_NEAR(std::fabs(segment.from[x] - 1), 0.5, 1e-5) << "between two cubes";
        EXPECT_NEAR(segment.from[x], segment.to[x], 1e-5);
    }
    EXPECT_NEAR(marked, 4, 1e-4) << "two contacts, both sides, a metre each";
    EXPECT_NEAR(outline.sizes().maxCoeff(), 3, 1e-5);
    EXPECT_NEAR(outline.sizes().minCoeff(), 1, 1e-5);
}

TEST(FacesInside, WithoutAnyThereIsNothingToCut) {
    const Mesh mesh = cubesInARow(1);
    const WeldedMesh welded = weldPositions(mesh);
    EXPECT_TRUE(cutThroughMost(welded, facesInside({}, mesh, welded)).segments.empty());
}

}  // namespace
}  // namespace flentro
