#include "geometry/contacts.h"

#include <gtest/gtest.h>

#include <algorithm>

#include "support/meshes.h"

namespace flentro {
namespace {

/// Boxes from corner to corner as one mesh, each face of vertices of its own.
Mesh boxes(const std::vector<Box>& all) {
    Mesh mesh;
    Part part;
    std::vector<Vec3f> positions;
    for (const Box& box : all)
        for (int axis = 0; axis < 3; ++axis)
            for (const bool high : {false, true}) {
                const auto first = static_cast<std::uint32_t>(positions.size());
                const int u = (axis + 1) % 3, v = (axis + 2) % 3;
                for (int k = 0; k < 4; ++k) {
                    Vec3d p = high ? box.max() : box.min();
                    p[u] = k == 1 || k == 2 ? box.max()[u] : box.min()[u];
                    p[v] = k >= 2 ? box.max()[v] : box.min()[v];
                    positions.push_back(p.cast<float>());
                }
                const std::uint32_t order[2][6] = {{0, 2, 1, 0, 3, 2}, {0, 1, 2, 0, 2, 3}};
                for (const std::uint32_t i : order[high]) part.indices.push_back(first + i);
            }
    part.set("POSITION", makeStream(positions));
    mesh.parts.push_back(std::move(part));
    return mesh;
}

std::ptrdiff_t covered(const Mesh& mesh) {
    const WeldedMesh welded = weldPositions(mesh);
    const auto found = coveredFaces(welded, std::vector<bool>(welded.corners.size() / 3, true));
    return std::count(found.begin(), found.end(), true);
}

Box box(Vec3d low, Vec3d high) {
    return {low, high};
}

TEST(Contacts, FacesBetweenCubesInARowAreCovered) {
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {1, 1, 1}), box({1, 0, 0}, {2, 1, 1})})), 4);
    std::vector<Box> wall;
    for (int x = 0; x < 6; ++x)
        for (int y = 0; y < 4; ++y) wall.push_back(box(Vec3d(x, y, 0), Vec3d(x + 1, y + 1, 1)));
    EXPECT_EQ(covered(boxes(wall)), 4 * (5 * 4 + 6 * 3));
}

TEST(Contacts, TheSmallerFaceIsCoveredByTheLarger) {
    // A brick on a slab: its underside is covered, the slab's top is not.
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {10, 1, 10}), box({4, 1, 4}, {5, 2, 6})})), 2);
    // Half over the edge: nothing is covered whole.
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {10, 1, 10}), box({9, 1, 4}, {11, 2, 6})})), 0);
}

TEST(Contacts, TogetherSeveralCoverOne) {
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {4, 1, 4}), box({0, 1, 0}, {2, 2, 4}),
                             box({2, 1, 0}, {4, 2, 4})})),
              2 + 2 + 2 + 4)
        << "the slab's top, both undersides, and the faces between the two";
}

TEST(Contacts, ApartOrFacingAlikeNothingIsCovered) {
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {1, 1, 1}), box({1.01, 0, 0}, {2, 1, 1})})), 0);
    // One inside the other, flush on one side: both faces look the same way.
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {4, 4, 4}), box({1, 1, 2}, {2, 2, 4})})), 0);
}

TEST(Contacts, SheetsOfTwoLayersShowOnBothSides) {
    EXPECT_EQ(covered(boxes({box({0, 0, 0}, {1, 1, 0})})), 0);
    Mesh open = boxes({box({0, 0, 0}, {1, 1, 1}), box({1, 0, 0}, {2, 1, 1})});
    open.parts[0].indices.resize(open.parts[0].indices.size() - 6);  // the last face
    EXPECT_EQ(covered(open), 0) << "an eye may look in";
}

TEST(Contacts, HoldAnyTurnAndSize) {
    for (const double scale : {0.001, 1.0, 4000.0}) {
        Mesh mesh = boxes({box({0, 0, 0}, {1, 1, 1}), box({1, 0, 0}, {2, 1, 1})});
        std::vector<Vec3f> points = positionsOf(mesh.parts[0]);
        const Eigen::Matrix3d turn =
            Eigen::AngleAxisd(0.7, Vec3d(1, 2, 3).normalized()).toRotationMatrix();
        for (Vec3f& point : points)
            point = (scale * (turn * point.cast<double>()) + Vec3d(3, 4, 5)).cast<float>();
        mesh.parts[0].set("POSITION", makeStream(points));
        EXPECT_EQ(covered(mesh), 4) << scale;
    }
}

}  // namespace
}  // namespace flentro
