#include <gtest/gtest.h>

#include <numbers>

#include <cmath>
#include <limits>
#include <numeric>
#include <set>

#include "geometry/cell.h"
#include "geometry/frustum.h"
#include "geometry/mesh.h"
#include "geometry/morton.h"
#include "geometry/polygon.h"
#include "geometry/slabs.h"
#include "geometry/weld.h"
#include "support/meshes.h"

namespace flentro {
namespace {

TEST(Space, HeadingTurnsClockwiseFromNorth) {
    EXPECT_TRUE(lookDirection(0, 0).isApprox(Vec3d(0, 0, -1)));
    EXPECT_TRUE(lookDirection(90, 0).isApprox(Vec3d(1, 0, 0), 1e-12));
    EXPECT_TRUE(lookDirection(180, 0).isApprox(Vec3d(0, 0, 1), 1e-12));
    EXPECT_TRUE(lookDirection(0, 90).isApprox(Vec3d(0, 1, 0), 1e-12));
}

TEST(Space, BoundsOfATurnedBoxAreTightForTheBox) {
    Mat4d turn = Mat4d::Identity();
    turn.topLeftCorner<3, 3>() = Eigen::AngleAxisd(kPi / 4, Vec3d::UnitY()).toRotationMatrix();
    const Box box = transformBox(turn, Box(Vec3d(-1, -1, -1), Vec3d(1, 1, 1)));
    EXPECT_NEAR(box.max().x(), std::sqrt(2), 1e-12);
    EXPECT_NEAR(box.max().y(), 1, 1e-12);
}

TEST(Space, ScaleIsThatOfTheLongestAxis) {
    Mat4d m = Mat4d::Identity();
    m(0, 0) = 2;
    m(1, 1) = -5;
    EXPECT_DOUBLE_EQ(maxScale(m), 5);
}

TEST(Frustum, ProjectsTheExampleOfTheHeader) {
    const Viewpoint view{{0, 1.7, 5}, 0, 0};
    const Vec3d local = transformPoint(viewMatrix(view), Vec3d::Zero());
    EXPECT_NEAR(local.z(), -5, 1e-12);
    EXPECT_NEAR(local.y(), -1.7, 1e-12);
    EXPECT_NEAR(local.x(), 0, 1e-12);
}

TEST(Frustum, PutsNearAndFarPlaneAtTheEndsOfDepth) {
    const Projection lens{60, 1, 0.5, 100};
    const Mat4d m = projectionMatrix(lens);
    const auto depth = [&](double z) {
        const Vec4d clip = m * Vec4d(0, 0, -z, 1);
        return clip.z() / clip.w();
    };
    EXPECT_NEAR(depth(0.5), -1, 1e-12);
    EXPECT_NEAR(depth(100), 1, 1e-12);
}

TEST(Frustum, MeetsWhatIsAheadAndNotWhatIsBehindBesideOrBeyond) {
    const Frustum frustum({{0, 0, 0}, 0, 0}, {90, 1, 0.1, 100});
    const auto at = [](double x, double y, double z) {
        return Box(Vec3d(x - 1, y - 1, z - 1), Vec3d(x + 1, y + 1, z + 1));
    };
    EXPECT_TRUE(frustum.meets(at(0, 0, -10)));
    EXPECT_FALSE(frustum.meets(at(0, 0, 10)));
    EXPECT_FALSE(frustum.meets(at(30, 0, -10)));
    EXPECT_TRUE(frustum.meets(at(10.5, 0, -10)));
    EXPECT_FALSE(frustum.meets(at(0, 0, -102)));
    EXPECT_TRUE(frustum.meets(at(0, 0, -100.5)));
    EXPECT_TRUE(frustum.meets(at(0, 0, 0))) << "the eye inside";
    EXPECT_FALSE(frustum.meets(Box()));
}

TEST(Frustum, MeetsLightSpheresThatReachIn) {
    const Frustum frustum({{0, 0, 0}, 0, 0}, {90, 1, 0.1, 100});
    EXPECT_TRUE(frustum.meetsSphere({0, 0, 5}, 6));
    EXPECT_FALSE(frustum.meetsSphere({0, 0, 5}, 4));
    EXPECT_TRUE(frustum.meetsSphere({0, 0, 5}, std::numeric_limits<double>::infinity()));
}

TEST(Stream, AppliesNormalisation) {
    Stream stream;
    stream.type = ComponentType::UInt8;
    stream.components = 1;
    stream.normalized = true;
    stream.data = {std::byte{0}, std::byte{51}, std::byte{255}};
    EXPECT_FLOAT_EQ(stream.value(0, 0), 0);
    EXPECT_FLOAT_EQ(stream.value(1, 0), 0.2F);
    EXPECT_FLOAT_EQ(stream.value(2, 0), 1);
    stream.type = ComponentType::Int8;
    stream.data = {std::byte{0x80}, std::byte{0x81}};
    EXPECT_FLOAT_EQ(stream.value(0, 0), -1) << "-128 counts as -127";
    EXPECT_FLOAT_EQ(stream.value(1, 0), -1);
}

TEST(Stream, SetsWhatItReads) {
    for (const ComponentType type :
         {ComponentType::Int8, ComponentType::UInt8, ComponentType::Int16, ComponentType::UInt16,
          ComponentType::UInt32, ComponentType::Float32}) {
        Stream stream{type, 2, false, false, std::vector<std::byte>(2 * componentSize(type))};
        stream.set(0, 1, 42);
        EXPECT_FLOAT_EQ(stream.value(0, 1), 42);
        EXPECT_FLOAT_EQ(stream.value(0, 0), 0);
    }
}

TEST(Stream, HashKnowsTypeAndContent) {
    const Stream a = makeStream(std::vector<Vec3f>{{1, 2, 3}});
    Stream b = a;
    EXPECT_EQ(a.hash(), b.hash());
    b.normalized = true;
    EXPECT_NE(a.hash(), b.hash());
}

TEST(Mesh, CountsTrianglesVerticesAndBytes) {
    const MeshPtr mesh = finishMesh(test::makeGrid(4, 4));
    EXPECT_EQ(describe(*mesh), "25v 32t");
    EXPECT_EQ(mesh->triangles, 32U);
    // Positions 12, normals 12, texture coordinates 8 bytes; 96 indices of two bytes.
    EXPECT_EQ(mesh->bytes, 25U * 32 + 96 * 2);
    EXPECT_TRUE(mesh->bounds.max().isApprox(Vec3d(1, 0, 1)));
}

TEST(Mesh, CountsSharedStreamsOnce) {
    Mesh mesh = test::makeGrid(2, 2);
    mesh.parts.push_back(mesh.parts.front());
    const MeshPtr done = finishMesh(std::move(mesh));
    EXPECT_EQ(done->vertices, 9U);
    EXPECT_EQ(done->triangles, 16U);
}

TEST(Mesh, BoundsIgnoreVerticesThatNothingUses) {
    Mesh mesh;
    mesh.parts.push_back(test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}, {900, 0, 0}}, {0, 1, 2}));
    EXPECT_DOUBLE_EQ(finishMesh(mesh)->bounds.max().x(), 1);
}

TEST(Mesh, HashIgnoresTheNameOnly) {
    const Hash hash = finishMesh(test::makeGrid(2, 2))->hash;
    EXPECT_EQ(finishMesh(test::named(test::makeGrid(2, 2), "other"))->hash, hash);
    EXPECT_NE(finishMesh(test::makeGrid(2, 3))->hash, hash);
}

TEST(Mesh, DropsUnusedVerticesAndKeepsTheOrderOfTheRest) {
    const Part part =
        test::makePart({{9, 9, 9}, {0, 0, 0}, {8, 8, 8}, {1, 0, 0}, {0, 1, 0}}, {1, 3, 4});
    const Part kept = dropUnusedVertices(part);
    EXPECT_EQ(kept.vertexCount(), 3U);
    EXPECT_EQ(kept.indices, (std::vector<std::uint32_t>{0, 1, 2}));
    EXPECT_FLOAT_EQ(kept.find("POSITION")->value(1, 0), 1);
}

TEST(Weld, JoinsEqualPositionsAndBothZeros) {
    const std::vector<Vec3f> positions = {{0, 0, 0}, {1, 0, 0}, {-0.0F, 0, 0}, {1, 0, 0}};
    EXPECT_EQ(firstEqualPosition(positions), (std::vector<std::uint32_t>{0, 1, 0, 1}));
}

TEST(Weld, KeepsVerticesApartThatDifferInAnyAttribute) {
    Part part = test::makePart({{0, 0, 0}, {0, 0, 0}, {0, 0, 0}}, {0, 1, 2});
    test::addStream(part, "TEXCOORD_0", makeStream(std::vector<Vec2f>{{0, 0}, {0, 0}, {1, 0}}));
    EXPECT_EQ(firstEqualVertex(part), (std::vector<std::uint32_t>{0, 0, 2}));
}

TEST(Weld, LooksOnlyAmongTheVerticesItIsGiven) {
    Part part = test::makePart({{0, 0, 0}, {5, 0, 0}, {0, 0, 0}, {5, 0, 0}, {0, 0, 0}}, {0, 1, 2});
    const std::vector<std::uint32_t> among = {0, 2, 3, 4};
    EXPECT_EQ(firstEqualVertex(part, among), (std::vector<std::uint32_t>{0, 1, 0, 3, 0}));
    EXPECT_EQ(firstEqualVertex(part), (std::vector<std::uint32_t>{0, 1, 0, 1, 0}));
}

TEST(Weld, FindsTheFirstAmongManyInAnyOrder) {
    std::vector<Vec3f> positions;
    for (std::uint32_t i = 0; i < 5000; ++i)
        positions.push_back(Vec3f::Constant(static_cast<float>(i * 7919U % 613U)));
    const std::vector<std::uint32_t> first = firstEqualPosition(positions);
    for (std::uint32_t i = 0; i < 5000; ++i) ASSERT_EQ(first[i], i % 613U);
}

TEST(Morton, TakesTheBitsOfEachAxisInTurn) {
    EXPECT_EQ(mortonCode(1, 0, 0), 1U);
    EXPECT_EQ(mortonCode(0, 1, 0), 2U);
    EXPECT_EQ(mortonCode(0, 0, 1), 4U);
    EXPECT_EQ(mortonCode(0b11, 0b01, 0b10), 0b101011U);
    EXPECT_EQ(mortonCode(kMortonCells - 1, kMortonCells - 1, kMortonCells - 1), (1U << 30U) - 1);
}

TEST(Morton, RanksEachPlaceOnceAndTheNearTogether) {
    // Points of a square in an order that jumps about.
    std::vector<Vec3f> points;
    for (std::uint32_t i = 0; i < 64 * 64; ++i) {
        const std::uint32_t at = i * 1597U % (64 * 64);
        points.push_back({static_cast<float>(at % 64), 0, static_cast<float>(at / 64)});
    }
    const std::vector<std::uint32_t> ranks = ranksAlongCurve(points);
    std::vector<Vec3f> ordered(points.size(), Vec3f::Constant(-1));
    for (std::size_t i = 0; i < points.size(); ++i) ordered[ranks[i]] = points[i];
    for (const Vec3f& point : ordered) ASSERT_GE(point.x(), 0) << "every rank once";
    for (std::size_t begin = 0; begin < ordered.size(); begin += 256) {
        Eigen::AlignedBox3f box;
        for (std::size_t i = begin; i < begin + 256; ++i) box.extend(ordered[i]);
        EXPECT_LE(box.sizes().maxCoeff(), 32) << "256 points are a patch of 16 by 16, or nearly";
    }
}

TEST(Morton, LeavesWhatLiesInOnePlaceAsItCame) {
    const std::vector<Vec3f> same(100, Vec3f(3, 4, 5));
    std::vector<std::uint32_t> expected(100);
    std::iota(expected.begin(), expected.end(), 0U);
    EXPECT_EQ(ranksAlongCurve(same), expected);
    EXPECT_TRUE(ranksAlongCurve({}).empty());
}

TEST(Morton, RanksPlacesThatAreNoNumbers) {
    const float nan = std::nanf("");
    const float inf = std::numeric_limits<float>::infinity();
    const std::vector<Vec3f> points = {{0, 0, 0}, {nan, 1, 0}, {inf, 0, 0}, {1, -inf, nan}};
    const std::vector<std::uint32_t> ranks = ranksAlongCurve(points);
    EXPECT_EQ(std::set<std::uint32_t>(ranks.begin(), ranks.end()).size(), 4U);
}

TEST(Slabs, HoldAboutAsMuchEach) {
    const double endless = std::numeric_limits<double>::infinity();
    std::vector<std::pair<double, double>> things;
    for (int i = 9; i >= 0; --i) things.emplace_back(i, 10);
    EXPECT_EQ(slabBounds(things, 30), (std::vector<double>{-endless, 3, 6, 9, endless}));
    EXPECT_EQ(slabBounds(things, 1000), (std::vector<double>{-endless, endless}));
    EXPECT_EQ(slabBounds({}, 1), (std::vector<double>{-endless, endless}));
    const std::vector<std::pair<double, double>> same(5, {2, 10});
    EXPECT_EQ(slabBounds(same, 10), (std::vector<double>{-endless, 2, endless}))
        << "what is at one place stays together";
}

TEST(Cells, AreToldApartBy64Bits) {
    std::set<std::uint64_t> hashes;
    for (long x = -8; x < 8; ++x)
        for (long y = -8; y < 8; ++y)
            for (long z = -8; z < 8; ++z) hashes.insert(hash64({x, y, z}));
    EXPECT_EQ(hashes.size(), 16U * 16 * 16);
}

TEST(IndexSize, UsesTwoBytesBelowTheRestartValue) {
    EXPECT_EQ(indexSize(65534), 2U);
    EXPECT_EQ(indexSize(65535), 4U);
}

/// Area of the triangles, each of which runs the polygon's way.
double areaOfParts(const std::vector<Vec3d>& corners) {
    double area = 0;
    const auto triangles = triangulate(corners);
    EXPECT_EQ(triangles.size(), corners.size() - 2);
    for (const auto& [a, b, c] : triangles) {
        const double twice = (corners[b] - corners[a]).cross(corners[c] - corners[a]).y();
        EXPECT_LE(twice, 1e-12) << "the corners below run clockwise from above";
        area -= twice / 2;
    }
    return area;
}

TEST(Polygon, ConcaveOnesAreCoveredOnce) {
    EXPECT_NEAR(areaOfParts({{0, 0, 0}, {2, 0, 0}, {2, 0, 2}, {0, 0, 2}}), 4, 1e-12);
    // An L, a comb of ten teeth, and a star of 20,000 corners.
    EXPECT_NEAR(areaOfParts({{0, 0, 0}, {3, 0, 0}, {3, 0, 1}, {1, 0, 1}, {1, 0, 3}, {0, 0, 3}}), 5,
                1e-12);
    std::vector<Vec3d> comb = {{0, 0, 0}, {10, 0, 0}};
    for (int i = 9; i >= 0; --i) {
        comb.emplace_back(i + 1, 0, 5);
        comb.emplace_back(i + 0.5, 0, 1);
    }
    comb.emplace_back(0, 0, 1);
    EXPECT_GT(areaOfParts(comb), 10);
    std::vector<Vec3d> star;
    double exact = 0;
    for (int i = 0; i < 20'000; ++i) {
        const double angle = 2 * std::numbers::pi * i / 20'000;
        const double radius = 1 + 0.3 * std::sin(40 * angle);
        star.emplace_back(radius * std::cos(angle), 0, radius * std::sin(angle));
    }
    for (std::size_t i = 0; i < star.size(); ++i)
        exact -= star[i].cross(star[(i + 1) % star.size()]).y() / 2;
    EXPECT_NEAR(areaOfParts(star), exact, 1e-9);
}

TEST(Polygon, WhatCrossesItselfIsDividedSomehow) {
    EXPECT_EQ(triangulate(std::vector<Vec3d>{{0, 0, 0}, {2, 0, 2}, {2, 0, 0}, {0, 0, 2}}).size(),
              2U);
    EXPECT_EQ(triangulate(std::vector<Vec3d>(9, Vec3d::Zero())).size(), 7U);
    EXPECT_TRUE(triangulate(std::vector<Vec3d>(2, Vec3d::Zero())).empty());
}

}  // namespace
}  // namespace flentro
