// How far one surface lies from another.

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <random>
#include <set>

#include "simplify/deviation.h"
#include "simplify/reducer.h"
#include "support/meshes.h"

namespace flentro {
namespace {

TEST(Deviation, IsTheOffsetOfParallelPlanes) {
    Mesh lifted = test::makeGrid(4, 4, 1, [](double, double) { return 0.25; });
    const MeshPtr a = finishMesh(test::makeGrid(4, 4));
    const MeshPtr b = finishMesh(lifted);
    EXPECT_NEAR(measureDeviation(Surface(*a), *b).largest, 0.25, 1e-6);
    EXPECT_NEAR(measureDeviation(Surface(*a), *a).largest, 0, 1e-7);
}

TEST(Deviation, MeanIsOverTheArea) {
    // A quarter of the ground is lifted by 1; the ramp towards it is as long as one cell.
    const MeshPtr flat = finishMesh(test::makeGrid(40, 40));
    const MeshPtr step = finishMesh(
        test::makeGrid(40, 40, 1, [](double u, double v) { return u < 0.5 && v < 0.5 ? 0.1 : 0; }));
    const Deviation deviation = measureDeviation(Surface(*flat), *step);
    EXPECT_NEAR(deviation.largest, 0.1, 1e-6);
    EXPECT_NEAR(deviation.mean, 0.025, 0.006);
}

TEST(Deviation, LooksFromBothSides) {
    // Everything of the small one lies on the large one, but not the other way round.
    const MeshPtr large = finishMesh(test::makeGrid(8, 8, 3));
    const MeshPtr small = finishMesh(test::makeGrid(8, 8, 1));
    EXPECT_NEAR(measureDeviation(Surface(*large), *small).largest, std::hypot(2, 2), 1e-5);
}

TEST(Deviation, TheLargestAloneIsTheSame) {
    const MeshPtr whole = finishMesh(test::makeSphere(60, 40));
    const Surface surface(*whole);
    Reducer reducer(*whole, {});
    ASSERT_TRUE(reducer.reduceTo(20, std::numeric_limits<double>::infinity(), noProgress()));
    for (const std::size_t count : {2000, 500, 100, 20}) {
        const MeshPtr level = finishMesh(reducer.log().meshAt(count));
        const double largest = measureDeviation(surface, *level, 3000).largest;
        EXPECT_NEAR(largestDeviation(surface, *level, {3000}), largest, 1e-6);
        // Told as far as asked: at least the least, more than the most if it is more.
        EXPECT_NEAR(largestDeviation(surface, *level, {3000, 2 * largest}), 2 * largest, 1e-6);
        EXPECT_GT(largestDeviation(surface, *level, {3000, 0, largest / 2}), largest / 2);
        EXPECT_NEAR(largestDeviation(surface, *level, {3000, 0, largest * 2}), largest, 1e-6);
    }
}

TEST(Surface, SamplesEachPointOnceAndThinsThemEvenly) {
    const MeshPtr grid = finishMesh(test::makeGrid(10, 10));
    const Surface surface(*grid);
    // 121 vertices, 200 faces, and of 320 edges those that both triangles or an upward one have.
    const std::vector<SurfaceSample>& all = surface.samples(10'000);
    std::set<std::array<float, 3>> places;
    for (const SurfaceSample& sample : all) {
        places.insert({sample.point.x(), sample.point.y(), sample.point.z()});
        EXPECT_NEAR(sample.area, 0.01, 1e-6) << "twice a half of a cell";
    }
    EXPECT_EQ(places.size(), all.size());
    EXPECT_GE(all.size(), 121U + 200U + 280U);
    EXPECT_LE(all.size(), 121U + 200U + 320U);
    const std::vector<SurfaceSample>& few = surface.samples(60);
    EXPECT_NEAR(static_cast<double>(few.size()), 60, 8);
    EXPECT_EQ(&surface.samples(60), &few) << "made once";
}

TEST(Deviation, FindsANarrowSpike) {
    const MeshPtr flat = finishMesh(test::makeGrid(30, 30));
    const MeshPtr spiky = finishMesh(test::makeGrid(30, 30, 1, [](double u, double v) {
        return std::hypot(u - 0.5, v - 0.5) < 0.01 ? 0.4 : 0.0;
    }));
    EXPECT_NEAR(measureDeviation(Surface(*flat), *spiky).largest, 0.4, 1e-6);
}

TEST(Surface, TakesSliversAndNeedlesForLines) {
    std::mt19937 random(5);
    std::uniform_real_distribution<float> any(-1, 1);
    const auto point = [&] { return Vec3f(any(random), any(random), any(random)); };
    for (int i = 0; i < 2000; ++i) {
        const Vec3f a = point();
        const Vec3f along = point();
        Mesh needle;
        needle.parts.push_back(
            test::makePart({a, a + along, a + std::fabs(any(random)) * along}, {0, 1, 2}));
        const Vec3f from = point();
        const float share = std::clamp(along.dot(from - a) / along.squaredNorm(), 0.0F, 1.0F);
        EXPECT_NEAR(Surface(needle).distanceTo(from), (a + share * along - from).norm(), 1e-5) << i;
    }
    Mesh dot;
    dot.parts.push_back(test::makePart({{1, 2, 3}, {1, 2, 3}, {1, 2, 3}}, {0, 1, 2}));
    EXPECT_NEAR(Surface(dot).distanceTo({1, 2, 1}), 2, 1e-6);
}

TEST(Surface, DistanceInEveryRegionOfATriangle) {
    Mesh mesh;
    mesh.parts.push_back(test::makePart({{0, 0, 0}, {4, 0, 0}, {0, 4, 0}}, {0, 1, 2}));
    const Surface surface(*finishMesh(mesh));
    EXPECT_NEAR(surface.distanceTo({1, 1, 3}), 3, 1e-6) << "face";
    EXPECT_NEAR(surface.distanceTo({-3, -4, 0}), 5, 1e-6) << "corner a";
    EXPECT_NEAR(surface.distanceTo({7, -4, 0}), 5, 1e-6) << "corner b";
    EXPECT_NEAR(surface.distanceTo({-4, 7, 0}), 5, 1e-6) << "corner c";
    EXPECT_NEAR(surface.distanceTo({2, -2, 0}), 2, 1e-6) << "edge ab";
    EXPECT_NEAR(surface.distanceTo({-2, 2, 0}), 2, 1e-6) << "edge ac";
    EXPECT_NEAR(surface.distanceTo({4, 4, 0}), 4 / std::numbers::sqrt2, 1e-5) << "edge bc";
}

TEST(Deviation, NothingIsInfinitelyFarFromSomething) {
    const Mesh grid = *finishMesh(test::makeGrid(2, 2));
    Mesh empty;
    empty.parts.push_back(test::makePart({}, {}));
    const Mesh nothing = *finishMesh(std::move(empty));
    EXPECT_EQ(measureDeviation(Surface(grid), nothing).largest,
              std::numeric_limits<double>::infinity());
    EXPECT_EQ(largestDeviation(Surface(nothing), grid), std::numeric_limits<double>::infinity());
    EXPECT_EQ(measureDeviation(Surface(nothing), nothing).largest, 0);
}

TEST(Deviation, IsMeasuredInEveryPoseOfMorphTargets) {
    // A flat sheet whose middle rises by 0.5 m in its one target.
    Mesh sheet = test::makeGrid(8, 8);
    std::vector<Vec3f> moves(sheet.parts[0].vertexCount(), Vec3f::Zero());
    const std::vector<Vec3f> at = positionsOf(sheet.parts[0]);
    for (std::size_t v = 0; v < moves.size(); ++v)
        if ((at[v] - Vec3f(0.5F, 0, 0.5F)).norm() < 0.01F) moves[v].y() = 0.5F;
    sheet.parts[0].targets = {{{"POSITION", std::make_shared<const Stream>(makeStream(moves))}}};
    Mesh flat = test::makeGrid(8, 8);
    const std::vector<Vec3f> none(moves.size(), Vec3f::Zero());
    flat.parts[0].targets = {{{"POSITION", std::make_shared<const Stream>(makeStream(none))}}};
    const MeshPtr moving = finishMesh(std::move(sheet));
    const MeshPtr still = finishMesh(std::move(flat));
    EXPECT_LT(largestDeviation(Surface(*moving), *still), 1e-6) << "at rest they are equal";
    EXPECT_NEAR(PosedSurfaces(*moving).largestDeviation(*still), 0.5, 0.05);
}

}  // namespace
}  // namespace flentro
