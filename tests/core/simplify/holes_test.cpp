// Small holes in surfaces, closed to a point.

#include "simplify/holes.h"

#include <gtest/gtest.h>

#include "support/meshes.h"

namespace flentro {
namespace {

/// A level square of 8 m in cells of a metre without those that `isGone(column, row)`.
template <typename IsGone>
Mesh sheetWithout(const IsGone& isGone) {
    Mesh sheet = test::makeGrid(8, 8, 8);
    Part& part = sheet.parts[0];
    const std::vector<Vec3f> points = positionsOf(part);
    std::vector<std::uint32_t> kept;
    forEachTriangle(part, [&](const Corners& t) {
        const Vec3f middle = (points[t[0]] + points[t[1]] + points[t[2]]) / 3;
        if (!isGone(static_cast<int>(middle.x()), static_cast<int>(middle.z())))
            kept.insert(kept.end(), t.begin(), t.end());
    });
    part.indices = std::move(kept);
    return *finishMesh(std::move(sheet));
}

TEST(Holes, OneCellIsClosedAndTheEdgeOfTheSheetStays) {
    const Mesh sheet = sheetWithout([](int x, int z) { return x == 3 && z == 4; });
    ASSERT_EQ(test::describeEdges(sheet), "36 border, 0 non-manifold");
    const ClosedHoles closed = closeHoles(sheet, 1.5);
    EXPECT_EQ(closed.holes, 1U);
    EXPECT_EQ(test::describeEdges(*finishMesh(closed.mesh)), "32 border, 0 non-manifold");
    EXPECT_NEAR(test::areaOf(closed.mesh), 64, 1e-4) << "flat and whole";
}

TEST(Holes, ItsOutlineMeetsInTheMiddle) {
    const Mesh sheet = sheetWithout([](int x, int z) { return x == 3 && z == 4; });
    std::size_t there = 0;
    for (const Vec3f& point : positionsOf(closeHoles(sheet, 1.5).mesh.parts[0]))
        there += (point - Vec3f(3.5F, 0, 4.5F)).norm() < 1e-5F;
    EXPECT_EQ(there, 4U);
}

TEST(Holes, LargerOnesStay) {
    const Mesh sheet =
        sheetWithout([](int x, int z) { return x >= 3 && x <= 4 && z >= 3 && z <= 4; });
    EXPECT_EQ(closeHoles(sheet, 1.5).holes, 0U) << "2.8 m across";
    EXPECT_EQ(closeHoles(sheet, 3).holes, 1U);
    EXPECT_EQ(closeHoles(sheet, 3, 7).holes, 0U) << "of eight edges";
}

TEST(Holes, SeveralAreClosedEachByItself) {
    const Mesh sheet = sheetWithout([](int x, int z) {
        return (x == 1 && z == 1) || (x == 5 && z == 2) || (x == 3 && z == 6);
    });
    const ClosedHoles closed = closeHoles(sheet, 1.5);
    EXPECT_EQ(closed.holes, 3U);
    EXPECT_EQ(test::describeEdges(*finishMesh(closed.mesh)), "32 border, 0 non-manifold");
}

TEST(Holes, AHoleAtTheEdgeOfASheetIsNone) {
    const Mesh sheet = sheetWithout([](int x, int z) { return x == 0 && z == 4; });
    const ClosedHoles closed = closeHoles(sheet, 3);
    EXPECT_EQ(closed.holes, 0U);
    EXPECT_EQ(closed.mesh.parts[0].indices, sheet.parts[0].indices);
}

TEST(Holes, SmallSheetsAreNoHoles) {
    const Mesh tile = test::makeGrid(1, 1, 0.5);
    EXPECT_EQ(closeHoles(tile, 5).holes, 0U) << "its surface lies within the outline";
}

TEST(Holes, WholeSurfacesStayAsTheyAre) {
    const Mesh sphere = test::makeSphere(24, 12);
    const ClosedHoles closed = closeHoles(sphere, 10);
    EXPECT_EQ(closed.holes, 0U);
    EXPECT_EQ(closed.triangles, 0U);
    EXPECT_EQ(finishMesh(closed.mesh)->hash, finishMesh(sphere)->hash);
}

}  // namespace
}  // namespace flentro
