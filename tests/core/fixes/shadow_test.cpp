// Shadow and light distances.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/fix.h"
#include "fixes/shadows/shadows.h"
#include "measure/view_meter.h"
#include "support/display.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;
using testing::Contains;
using testing::HasSubstr;

constexpr double kPerMetre = 935.307;  ///< Pixels of a metre at one metre.

/// A lamp 4 m above a floor of 40 m, a box of 1 m on the floor below it.
Scene makeLampRoom() {
    Mesh floor = test::makeGrid(4, 4, 40);
    Scene scene = test::makeScene(
        {{test::named(floor, "floor"), {-20, 0, -20}}, {test::makeBox({1, 1, 1}), {0, 1, 0}}});
    scene.lights.resize(1);
    scene.lights[0].intensity = 50;
    scene.lights[0].range = 10;
    Node lamp;
    lamp.name = "lamp";
    lamp.light = 0;
    lamp.local(1, 3) = 4;
    lamp.rest["extras"]["castsShadow"] = true;
    scene.scenes[0]["nodes"].push_back(scene.nodes.size());
    scene.nodes.push_back(lamp);
    flatten(scene);
    return scene;
}

TEST(Shadows, EndWhereTheirShadowIsSmall) {
    const Scene scene = makeLampRoom();
    ASSERT_EQ(scene.placedLights.size(), 1U);
    ShadowSettings settings;
    settings.shadowPixels = 10;
    const Scene after = applyShadows(scene, settings, display(), noProgress())->scene;
    const Object& box = after.objects[1];
    EXPECT_TRUE(box.castsShadow);
    // Its top is at least 2.5 m from the lamp and the floor at most 4 m times a slant behind it:
    // the shadow is larger than the box, and no larger than the range allows.
    const double size = sizeOf(box);
    EXPECT_GT(box.culling.shadowEnd, size * kPerMetre / 10);
    EXPECT_LT(box.culling.shadowEnd, 4 * size * kPerMetre / 10);
}

TEST(Shadows, NoneWhereNothingCatchesOne) {
    Scene scene = makeLampRoom();
    scene.objects[0].world(1, 3) = -100;  // the floor falls away, beyond the range
    scene.objects[0].bounds =
        transformBox(scene.objects[0].world, scene.mesh(scene.objects[0]).bounds);
    const Fixed fixed = applyShadows(scene, {}, display(), noProgress()).value();
    EXPECT_FALSE(fixed.scene.objects[1].castsShadow);
    ShadowSettings settings;
    settings.hiddenCastNone = false;
    EXPECT_TRUE(
        applyShadows(scene, settings, display(), noProgress())->scene.objects[1].castsShadow);
}

TEST(Shadows, NoneBehindAWallThatKeepsTheLightOff) {
    Scene scene = test::makeScene({{test::named(test::makeGrid(4, 4, 40), "floor"), {-20, 0, -20}},
                                   {test::makeBox({1, 1, 1}), {0, 1, 0}},
                                   {test::named(test::makeBox({8, 0.2F, 8}), "roof"), {0, 3, 0}}});
    const Scene room = makeLampRoom();
    scene.lights = room.lights;
    scene.placedLights = room.placedLights;
    scene.nodes.push_back(room.nodes.back());
    scene.placedLights[0].node = 3;
    const Scene after = applyShadows(scene, {}, display(), noProgress())->scene;
    EXPECT_FALSE(after.objects[1].castsShadow) << "the roof keeps the lamp off it";
    EXPECT_TRUE(after.objects[2].castsShadow) << "the roof's own shadow is on the floor";
}

TEST(Shadows, LightsFadeWhereTheyReachFewPixels) {
    Scene scene = makeLampRoom();
    ShadowSettings settings;
    settings.lightPixels = 50;
    settings.minLux = 2;  // 50 cd reach 5 m
    settings.fade = 0.5;
    const Fixed fixed = applyShadows(scene, settings, display(), noProgress()).value();
    const PlacedLight& light = fixed.scene.placedLights[0];
    EXPECT_NEAR(light.end, 2 * 5 * kPerMetre / 50, 0.01);
    EXPECT_NEAR(light.fadeStart, light.end / 2, 0.01);
    scene.placedLights[0].end = 7;
    EXPECT_EQ(applyShadows(scene, settings, display(), noProgress())->scene.placedLights[0].end, 7)
        << "an earlier fix let it end sooner";
    scene.placedLights[0].end = std::numeric_limits<double>::infinity();
    settings.minLux = 4;  // 3.5 m of a range of 10 m
    EXPECT_THAT(applyShadows(scene, settings, display(), noProgress())->record.notes,
                Contains(HasSubstr("1 light has a range of more than twice")));
}

TEST(Shadows, TheCountFollows) {
    Scene scene = makeLampRoom();
    Target target = display();
    const Viewpoint near{{0, 2, 12}, 0, 0};
    const double withShadow = viewCost(scene, target, near).shadowTriangles;
    EXPECT_EQ(withShadow, 32 + 12);
    scene.objects[1].culling.shadowEnd = 20;
    EXPECT_EQ(viewCost(scene, target, near).shadowTriangles, 32 + 12);
    scene.objects[1].culling.shadowEnd = 5;
    const ViewCost cost = viewCost(scene, target, near);
    EXPECT_EQ(cost.shadowTriangles, 32) << "too far for a shadow";
    EXPECT_EQ(at(cost.counts, Measure::Objects), 2) << "but drawn";
    scene.placedLights[0].end = 11;
    EXPECT_EQ(at(viewCost(scene, target, near).counts, Measure::Lights), 0);
    scene.placedLights[0].end = 13;
    EXPECT_EQ(at(viewCost(scene, target, near).counts, Measure::Lights), 1);
}

TEST(Shadows, StayAsTheyAreWhereNoLightCastsAny) {
    Scene scene = makeLampRoom();
    scene.nodes.back().rest.erase("extras");
    flatten(scene);
    const Fixed fixed = applyShadows(scene, {}, display(), noProgress()).value();
    for (const Object& object : fixed.scene.objects) {
        EXPECT_TRUE(object.castsShadow) << object.name;
        EXPECT_FALSE(std::isfinite(object.culling.shadowEnd)) << object.name;
    }
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("no light of the scene says")));
}

}  // namespace
}  // namespace flentro
