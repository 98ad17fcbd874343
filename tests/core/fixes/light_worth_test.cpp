// What lights are worth, and like lights that become one.

#include "fixes/lights/light_worth.h"

#include <gtest/gtest.h>

#include <cmath>

#include "fixes/fewer_lights/merge_lights.h"
#include "support/lights.h"

namespace flentro {
namespace {

std::shared_ptr<const LightMatrix> matrixOf(const Scene& scene, std::initializer_list<Vec3d> eyes) {
    return test::litSurvey(scene, eyes).lights;
}

float worthOf(const std::vector<std::vector<LightWorth>>& worth, std::size_t place,
              std::uint32_t light) {
    for (const LightWorth& one : worth[place])
        if (one.light == light) return one.worth;
    return 0;
}

// --- worth --------------------------------------------------------------------------------

TEST(LightWorths, ABrighterLampIsMissedMore) {
    const Scene scene = test::groundWith({}, {{{-5, 3, -6}, 20, 15}, {{5, 3, -6}, 200, 15}});
    const auto matrix = matrixOf(scene, {{0, 1.7, 2}});
    const auto worth = worthOfLights(*matrix, scene, WorthOf::Light);
    EXPECT_GT(worthOf(worth, 0, 1), worthOf(worth, 0, 0));
    EXPECT_GT(worthOf(worth, 0, 0), 0);
    const auto most = mostInAnyView(worth, 2);
    EXPECT_GT(most[1], most[0]);
    EXPECT_LE(most[1], 1) << "of the display's range";
}

TEST(LightWorths, ALampThatLightsNothingSeenIsWorthNothing) {
    // Behind a wall, far off, and out of reach of the ground.
    const Scene scene = test::groundWith({}, {{{0, 3, -6}, 50, 12}, {{0, 40, -6}, 50, 8}});
    const auto matrix = matrixOf(scene, {{0, 1.7, 2}});
    EXPECT_EQ(mostInAnyView(worthOfLights(*matrix, scene, WorthOf::Light), 2)[1], 0);
}

TEST(LightWorths, AShadowIsWorthWhatShowsWhereItFalls) {
    const Scene scene = test::groundWith({{test::makeBox({1, 2, 1}), {-5, 1, -6}}},
                                         {{{-7, 3, -8}, 100, 15}, {{9, 3, -8}, 100, 6}});
    const auto matrix = matrixOf(scene, {{0, 1.7, 2}});
    const auto most = mostInAnyView(worthOfLights(*matrix, scene, WorthOf::Shadow), 2);
    EXPECT_GT(most[0], 0);
    EXPECT_EQ(most[1], 0) << "nothing stands in its way";
}

TEST(LightWorths, WithoutASurveyWhatIsNearAndReachesFarCounts) {
    const Scene scene =
        test::groundWith({}, {{{0, 3, -5}, 50, 8}, {{0, 3, -50}, 50, 8}, {{3, 3, -5}, 50, 2}});
    const std::vector<Vec3d> eyes = {{0, 1.7, 0}};
    const auto worth = guessWorth(scene, eyes);
    ASSERT_EQ(worth.size(), 1U);
    EXPECT_GT(worthOf(worth, 0, 0), worthOf(worth, 0, 1)) << "nearer";
    EXPECT_GT(worthOf(worth, 0, 0), worthOf(worth, 0, 2)) << "reaching further";
}

TEST(LightWorths, ChangesAreThoseOfEachGroupAlone) {
    const Scene scene = test::groundWith({}, {{{-5, 3, -6}, 100, 12}, {{5, 3, -6}, 100, 12}});
    const auto matrix = matrixOf(scene, {{0, 1.7, 2}});
    Scene darker = scene;
    darker.placedLights[0].range = 4;
    darker.lights[0].range = 4;
    const auto changes = worstChanges(*matrix, scene, darker, {0, 1});
    ASSERT_EQ(changes.size(), 2U);
    EXPECT_GT(changes[0], 0);
    EXPECT_EQ(changes[1], 0);
    EXPECT_TRUE(worstChanges(*matrix, scene, darker, {-1, -1}).empty()) << "of no group";
}

// --- merging ------------------------------------------------------------------------------

TEST(MergeLights, LikeOnesBecomeOneOfTheirPowerInTheirMiddle) {
    const Scene scene = test::groundWith({}, {{{0, 4, -6}, 30, 10, false}, {{1, 4, -6}, 90, 10}});
    const auto matrix = matrixOf(scene, {{0, 1.7, 4}});
    const MergedLights merged = mergeLights(scene, *matrix, 2, 1);
    EXPECT_EQ(merged.lights, 2U);
    EXPECT_EQ(merged.into, 1U);
    EXPECT_EQ(merged.rejected, 0U);
    ASSERT_EQ(merged.scene.placedLights.size(), 1U);
    const PlacedLight& one = merged.scene.placedLights[0];
    EXPECT_NEAR(one.position.x(), 0.75, 1e-6) << "weighed by power";
    EXPECT_EQ(merged.scene.lights[static_cast<std::size_t>(one.light)].intensity, 120);
    EXPECT_NEAR(one.range, 10.75, 1e-6) << "reaches where either did";
    EXPECT_TRUE(one.castsShadow) << "if any of them did";
    EXPECT_EQ(one.origins.size(), 2U);
}

TEST(MergeLights, OtherColoursAndThoseApartStay) {
    Scene scene =
        test::groundWith({}, {{{0, 4, -6}, 50, 10}, {{1, 4, -6}, 50, 10}, {{9, 4, -6}, 50, 10}});
    scene.lights[1].color = {0.2F, 0.3F, 1};
    const auto matrix = matrixOf(scene, {{0, 1.7, 4}});
    EXPECT_EQ(mergeLights(scene, *matrix, 2, 1).lights, 0U);
    scene.lights[1].color = {0.97F, 1, 1};
    EXPECT_EQ(mergeLights(scene, *matrix, 2, 1).lights, 2U) << "nearly white is like white";
}

TEST(MergeLights, StayWhereAViewWouldChangeTooMuch) {
    const Scene scene = test::groundWith({}, {{{-3, 1, -6}, 50, 10}, {{3, 1, -6}, 50, 10}});
    const auto matrix = matrixOf(scene, {{0, 1.7, 0}});
    const MergedLights merged = mergeLights(scene, *matrix, 8, 1e-4);
    EXPECT_EQ(merged.lights, 0U);
    EXPECT_EQ(merged.rejected, 1U);
    EXPECT_EQ(merged.scene.placedLights.size(), 2U);
    EXPECT_EQ(mergeLights(scene, *matrix, 8, 1).lights, 2U);
}

TEST(MergeLights, TheirNodesStayWithoutALight) {
    const Scene scene = test::groundWith({}, {{{0, 4, -6}, 50, 10}, {{1, 4, -6}, 50, 10}});
    const MergedLights merged = mergeLights(scene, *matrixOf(scene, {{0, 1.7, 4}}), 2, 1);
    int lit = 0;
    for (const Node& node : merged.scene.nodes) lit += node.light >= 0;
    EXPECT_EQ(lit, 1);
    EXPECT_EQ(merged.scene.nodes.size(), scene.nodes.size() + 1);
    Scene again = merged.scene;
    flatten(again);
    ASSERT_EQ(again.placedLights.size(), 1U) << "as a reader finds them";
    EXPECT_NEAR(again.placedLights[0].position.x(), 0.5, 1e-6);
}

}  // namespace
}  // namespace flentro
