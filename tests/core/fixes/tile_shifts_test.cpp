// Where texture coordinates repeat, and how much picture lies on how much surface.

#include "fixes/tile_shifts.h"

#include <gtest/gtest.h>

#include <cmath>
#include <limits>

#include "support/meshes.h"

namespace flentro {
namespace {

/// Two triangles that share no corner, with these coordinates.
Part twoTriangles(const std::vector<Vec2f>& coords) {
    Part part = test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {5, 0, 0}, {6, 0, 0}, {5, 1, 0}},
                               {0, 1, 2, 3, 4, 5});
    part.set("TEXCOORD_0", makeStream(coords));
    return part;
}

TileShifts shiftsOf(const Part& part) {
    return tileShifts(part, *part.find("TEXCOORD_0")).value();
}

TEST(TileShifts, NothingMovesWithinOneTile) {
    const TileShifts shifts =
        shiftsOf(twoTriangles({{0, 0}, {1, 0}, {0, 1}, {0.2F, 0.2F}, {0.9F, 0.2F}, {0.2F, 1}}));
    EXPECT_TRUE(shifts.isNone());
    EXPECT_EQ(shifts.reach, Vec2f(1, 1));
}

TEST(TileShifts, EachPieceComesIntoTheFirstTileByWholeNumbers) {
    const TileShifts shifts = shiftsOf(
        twoTriangles({{3.25F, -1}, {4, -1}, {3.25F, -0.5F}, {-7.5F, 2}, {-7, 2}, {-7.5F, 3}}));
    EXPECT_FALSE(shifts.isNone());
    EXPECT_EQ(shifts.shifts[0], Vec2f(-3, 1));
    EXPECT_EQ(shifts.shifts[1], shifts.shifts[0]) << "what hangs together moves as one";
    EXPECT_EQ(shifts.shifts[4], Vec2f(8, -2));
    EXPECT_EQ(shifts.reach, Vec2f(1, 1));
}

TEST(TileShifts, WhatRepeatsReachesBeyondOne) {
    const TileShifts shifts =
        shiftsOf(twoTriangles({{0, 0}, {3, 0}, {0, 2}, {0, 0}, {1, 0}, {0, 1}}));
    EXPECT_EQ(shifts.reach, Vec2f(3, 2));
    EXPECT_EQ(shifts.reaches[0], Vec2f(3, 2));
    EXPECT_EQ(shifts.reaches[3], Vec2f(1, 1));
}

TEST(TileShifts, RoundingAtAnEdgeIsNoTileOfItsOwn) {
    const TileShifts shifts = shiftsOf(
        twoTriangles({{-1e-5F, 0}, {1, 0}, {0, 1}, {0.9999F, 0}, {1.9999F, 0}, {0.9999F, 1}}));
    EXPECT_EQ(shifts.shifts[0], Vec2f(0, 0));
    EXPECT_EQ(shifts.shifts[3], Vec2f(-1, 0)) << "it begins at 1";
}

TEST(TileShifts, CoordinatesThatAreNoNumbersAreRefused) {
    const float kNone = std::numeric_limits<float>::quiet_NaN();
    const Part part = twoTriangles({{0, 0}, {kNone, 0}, {0, 1}, {0, 0}, {1, 0}, {0, 1}});
    EXPECT_FALSE(tileShifts(part, *part.find("TEXCOORD_0")));
}

TEST(LaidArea, CountsPictureAndSurface) {
    const Part part = twoTriangles({{0, 0}, {1, 0}, {0, 1}, {0, 0}, {4, 0}, {0, 2}});
    const LaidArea area = laidArea(part, *part.find("TEXCOORD_0"));
    EXPECT_NEAR(area.surface, 2 * 0.5, 1e-6);
    EXPECT_NEAR(area.picture, 0.5 + 4, 1e-6) << "the second shows it four times";
}

TEST(Samplers, RepeatUnlessTheySayOtherwise) {
    Scene scene;
    scene.samplers.resize(3);
    scene.samplers[1].rest = {{"wrapS", 33071}};                    // clamp to edge
    scene.samplers[2].rest = {{"wrapS", 10497}, {"wrapT", 33648}};  // mirrored
    EXPECT_TRUE(repeatsBothWays(scene, -1));
    EXPECT_TRUE(repeatsBothWays(scene, 0));
    EXPECT_FALSE(repeatsBothWays(scene, 1));
    EXPECT_FALSE(repeatsBothWays(scene, 2));
}

}  // namespace
}  // namespace flentro
