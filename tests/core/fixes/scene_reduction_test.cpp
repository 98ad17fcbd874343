// One number of triangles for a whole scene.

#include "fixes/scene_reduction.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;

ReducedScene reduced(const Scene& scene, const SceneReduction& options) {
    auto result = reduceScene(scene, options, noProgress());
    EXPECT_TRUE(result);
    return std::move(*result);
}

SceneReduction byRatio(double ratio) {
    SceneReduction options;
    options.ratio = ratio;
    options.reducer.placement = Placement::Optimal;
    return options;
}

/// A ball of 4 m beside ten of 0.2 m, all as fine.
Scene balls() {
    std::vector<test::Placed> placed = {{test::makeSphere(64, 32, 2), {0, 0, 0}}};
    for (int i = 0; i < 10; ++i)
        placed.push_back({test::named(test::makeSphere(64, 32, 0.1), std::to_string(i).c_str()),
                          {4 + static_cast<double>(i), 0, 0}});
    return test::makeScene(std::move(placed));
}

TEST(SceneReduction, LargeThingsKeepMoreThanSmallOnes) {
    const ReducedScene result = reduced(balls(), byRatio(0.05));
    EXPECT_LE(result.triangles(), result.wanted);
    EXPECT_GE(static_cast<double>(result.triangles()), 0.99 * static_cast<double>(result.wanted));
    EXPECT_GT(result.assets[0].after, 6 * result.assets[1].after);
    for (std::size_t i = 2; i < result.assets.size(); ++i)
        EXPECT_NEAR(result.assets[i].deviation, result.assets[1].deviation, 0.005);
    EXPECT_TRUE(result.notes.empty());
    for (const ReducedAsset& asset : result.assets)
        EXPECT_EQ(result.scene.assets[asset.asset].mesh->triangles, asset.after);
}

TEST(SceneReduction, EachByItselfOnRequest) {
    SceneReduction options = byRatio(0.05);
    options.forEach = true;
    const ReducedScene result = reduced(balls(), options);
    for (const ReducedAsset& asset : result.assets)
        EXPECT_NEAR(static_cast<double>(asset.after), 0.05 * static_cast<double>(asset.before), 4);
}

/// The same thing in millimetres below a node that scales it: the same metres are meant and said.
TEST(SceneReduction, DeviationIsInMetresOfTheScene) {
    const Scene metres = test::makeScene({{test::makeSphere(64, 32, 0.05), {0, 0, 0}}});
    const Scene millimetres = test::makeScene({{test::makeSphere(64, 32, 50), {0, 0, 0}, 0.001}});
    SceneReduction options;
    options.maxDeviation = 0.0005;
    const ReducedScene one = reduced(metres, options);
    const ReducedScene other = reduced(millimetres, options);
    EXPECT_LT(one.triangles(), 2000U) << "of 4,096";
    EXPECT_NEAR(static_cast<double>(one.triangles()), static_cast<double>(other.triangles()), 20);
    EXPECT_NEAR(one.assets[0].deviation, other.assets[0].deviation, 3e-5);
    EXPECT_LE(one.assets[0].deviation, 0.0005);
    EXPECT_GT(one.assets[0].deviation, 0.0003);
}

TEST(SceneReduction, WhatCannotBeHadIsReportedWithTheLeast) {
    const Scene boxes = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}},
                                         {test::named(test::makeBox({2, 2, 2}), "b"), {4, 0, 0}}});
    SceneReduction options;
    options.triangles = 2;
    const ReducedScene result = reduced(boxes, options);
    EXPECT_EQ(result.triangles(), 8U) << "two tetrahedra";
    ASSERT_EQ(result.notes.size(), 1U);
    EXPECT_THAT(result.notes[0].what, HasSubstr("8 triangles are the fewest of 2 assets"));
}

TEST(SceneReduction, OneAssetAlone) {
    SceneReduction options = byRatio(0.25);
    options.asset = "3";
    const ReducedScene result = reduced(balls(), options);
    ASSERT_EQ(result.assets.size(), 1U);
    EXPECT_EQ(result.assets[0].asset, 4U);
    EXPECT_LE(result.assets[0].after, result.assets[0].before / 4);
    EXPECT_EQ(result.scene.assets[0].mesh->triangles, balls().assets[0].mesh->triangles);
}

TEST(SceneReduction, CanBeCancelled) {
    test::RecordingProgress progress(1);
    const auto stopped = reduceScene(balls(), byRatio(0.5), progress);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
}

}  // namespace
}  // namespace flentro
