// What the manifest tells beside a scene.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "report/export.h"
#include "support/lights.h"

namespace flentro {
namespace {

/// Two boxes and three lamps: one that reaches both, one that reaches none, one that casts nothing.
Scene makeYard() {
    Scene scene = test::makeScene(
        {{test::makeBox({1, 1, 1}), {0, 0, 0}}, {test::makeBox({1, 1, 1}), {4, 0, 0}}});
    test::addLamp(scene, {{2, 1, 0}, 10, 6, true});
    test::addLamp(scene, {{40, 1, 0}, 10, 6, true});
    test::addLamp(scene, {{2, 2, 0}, 10, 6, false});
    return scene;
}

TEST(Manifest, ListsShadowLightsThatCouldBeBakedWithWhatTheyCost) {
    const Scene scene = makeYard();
    const Json list = makeManifest(scene, test::surveyDisplay()).at("bakeCandidates");
    ASSERT_EQ(list.size(), 2U);
    EXPECT_EQ(list[0].at("node"), scene.placedLights[0].node);
    EXPECT_EQ(list[0].at("shadowTriangles"), 24) << "both boxes";
    EXPECT_EQ(list[0].at("shadowCalls"), 2);
    EXPECT_EQ(list[1].at("shadowTriangles"), 0);
}

TEST(Manifest, MovingLightsCannotBeBaked) {
    Scene scene = makeYard();
    Animation animation;
    animation.channels = Json::array();
    animation.channels.push_back(
        {{"sampler", 0},
         {"target", {{"node", scene.placedLights[0].node}, {"path", "translation"}}}});
    scene.animations.push_back(animation);
    const Json list = makeManifest(scene, test::surveyDisplay()).at("bakeCandidates");
    ASSERT_EQ(list.size(), 1U);
    EXPECT_EQ(list[0].at("node"), scene.placedLights[1].node);
    for (PlacedLight& light : scene.placedLights) light.castsShadow = false;
    EXPECT_FALSE(makeManifest(scene, test::surveyDisplay()).contains("bakeCandidates"));
}

}  // namespace
}  // namespace flentro
