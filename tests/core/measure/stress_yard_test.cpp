#include "measure/stress_yard.h"

#include <gtest/gtest.h>

#include "measure/viewcost.h"
#include "support/meshes.h"

namespace flentro {
namespace {

Asset makeAsset() {
    Asset asset;
    asset.mesh = finishMesh(test::named(test::makeBox({2, 1, 1}), "crate"));
    Mesh half = *asset.mesh;
    half.parts[0].indices.resize(18);
    asset.ladder.levels = {{finishMesh(std::move(half)), 0.1, 30}};
    return asset;
}

Target display() {
    Target target;
    target.farPlane = 500;
    target.batching = Batching::Mesh;
    return target;
}

TEST(StressYard, HoldsAllCopiesApartAndInView) {
    for (const std::size_t copies : {1U, 2U, 10U, 400U}) {
        const Scene yard = makeYard({}, makeAsset(), copies);
        ASSERT_EQ(yard.objects.size(), copies);
        for (std::size_t i = 1; i < copies; ++i)
            EXPECT_FALSE(yard.objects[i].bounds.intersects(yard.objects[i - 1].bounds));
        const Viewpoint view = yardView(yard, display());
        const ViewCost cost = viewCost(yard, display(), view);
        EXPECT_EQ(at(cost.counts, Measure::Objects), static_cast<double>(copies));
        EXPECT_EQ(at(cost.counts, Measure::Lights), 0);
    }
}

TEST(StressYard, VariantsAreTheOriginalEachLevelAndAllTogether) {
    const Asset asset = makeAsset();
    const MeshPtr original = finishMesh(test::makeSphere(16, 8));
    const auto variants = yardVariants(asset, original);
    ASSERT_EQ(variants.size(), 4U);
    EXPECT_EQ(variants[0].asset.mesh, original);
    EXPECT_EQ(variants[1].asset.mesh->triangles, 12U);
    EXPECT_TRUE(variants[1].asset.ladder.empty());
    EXPECT_EQ(variants[2].asset.mesh->triangles, 6U);
    EXPECT_EQ(variants[3].name, "levels by distance");
    EXPECT_EQ(yardVariants(asset, asset.mesh).size(), 3U) << "nothing was done to it";
}

TEST(StressYard, FarCopiesShowTheirLevel) {
    const Scene yard = makeYard({}, makeAsset(), 400);
    const ViewCost cost = viewCost(yard, display(), yardView(yard, display()));
    const double triangles = at(cost.counts, Measure::Triangles);
    EXPECT_GT(triangles, 400 * 6);
    EXPECT_LT(triangles, 400 * 12);
}

TEST(StressYard, NothingToShowIsNoYard) {
    Asset empty;
    empty.mesh = finishMesh(Mesh());
    const Scene yard = makeYard({}, empty, 9);
    EXPECT_TRUE(yard.objects.empty());
    EXPECT_EQ(yardView(yard, display()).eye, Viewpoint().eye);
}

}  // namespace
}  // namespace flentro
