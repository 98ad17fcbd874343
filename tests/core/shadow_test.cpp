// Shadow and light distances, seen sizes, and the skyline.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/fix.h"
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
    settings.leastLux = 2;  // 50 cd reach 5 m
    settings.fade = 0.5;
    const Fixed fixed = applyShadows(scene, settings, display(), noProgress()).value();
    const PlacedLight& light = fixed.scene.placedLights[0];
    EXPECT_NEAR(light.end, 2 * 5 * kPerMetre / 50, 0.01);
    EXPECT_NEAR(light.fadeStart, light.end / 2, 0.01);
    settings.leastLux = 4;  // 3.5 m of a range of 10 m
    EXPECT_THAT(applyShadows(scene, settings, display(), noProgress())->record.notes,
                Contains(HasSubstr("1 lights have a range of more than twice")));
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

/// Sees `pixels` of an origin from so far.
Evidence seeing(std::uint32_t origin, float pixels, float distance, const Vec3d& eye = {0, 0, 0}) {
    Evidence evidence;
    Evidence::Place place{eye, {{eye, 0, 0}}, {{origin, pixels, distance}}};
    evidence.places = {place};
    evidence.hash = Hasher().add(pixels).add(distance).result();
    return evidence;
}

TEST(Culling, ThinThingsGoByWhatIsSeenOfThem) {
    // A pole 10 m tall and 5 cm thick shows as much as a disc of 80 cm.
    const Scene scene =
        test::makeScene({{test::named(test::makeBox({0.05F, 10, 0.05F}), "pole"), {0, 0, -20}}});
    const double across = 0.8 * kPerMetre / 20;
    const Evidence seen = seeing(0, static_cast<float>(kPi / 4 * across * across), 20);
    EXPECT_NEAR(seenSizes(seen, 1, kPerMetre)[0], 0.8, 1e-3);
    CullingSettings settings;
    settings.classes = {{"all", std::numeric_limits<double>::infinity(), 20}};
    settings.skyline = 1;
    const auto end = [&](const Evidence& evidence) {
        return applyCulling(scene, settings, display(), evidence, noProgress())
            ->scene.objects[0]
            .culling.end;
    };
    const double bounds = 10 * kPerMetre / 20;
    EXPECT_NEAR(end({}), bounds, 1);
    EXPECT_NEAR(end(seen), 0.35 * bounds, 1) << "never less than a share of its bounds";
    settings.bySeen = false;
    EXPECT_NEAR(end(seen), bounds, 1);
}

TEST(Culling, WhatStandsAgainstTheSkyStaysLonger) {
    const Scene scene =
        test::makeScene({{test::named(test::makeBox({1, 1, 1}), "mast"), {0, 0, -20}},
                         {test::named(test::makeBox({1, 1, 1}), "crate"), {20, 0, 0}},
                         {test::named(test::makeBox({1, 20, 20}), "wall"), {30, 0, 0}}});
    CullingSettings settings;
    settings.classes = {{"all", std::numeric_limits<double>::infinity(), 50}};
    settings.bySeen = false;
    settings.skyline = 3;
    Evidence evidence = seeing(0, 100, 19);
    evidence.places[0].seen.push_back({1, 100, 19});
    const Scene after = applyCulling(scene, settings, display(), evidence, noProgress())->scene;
    EXPECT_NEAR(after.objects[0].culling.end, 3 * after.objects[1].culling.end, 1e-6);
}

TEST(Culling, TellsWhatVanishesFromWhere) {
    const Scene scene =
        test::makeScene({{test::named(test::makeBox({1, 1, 1}), "near"), {0, 0, -20}},
                         {test::named(test::makeBox({1, 1, 1}), "far"), {0, 0, -90}}});
    CullingSettings settings;
    settings.classes = {{"all", std::numeric_limits<double>::infinity(), 20}};  // 81 m
    settings.skyline = 1;
    Evidence evidence = seeing(0, 3000, 19);
    evidence.places[0].seen.push_back({1, 140, 89});
    settings.bySeen = false;
    const FixRecord record =
        applyCulling(scene, settings, display(), evidence, noProgress())->record;
    ASSERT_EQ(record.vanishing.size(), 1U);
    EXPECT_EQ(record.vanishing[0].origin, 1U);
    EXPECT_EQ(record.vanishing[0].spots, 1U);
    EXPECT_EQ(record.vanishing[0].pixels, 140);
    EXPECT_THAT(record.notes, Contains(HasSubstr("at most 140 pixels of far node")));
    evidence.places[0].seen.pop_back();
    EXPECT_THAT(applyCulling(scene, settings, display(), evidence, noProgress())->record.notes,
                Contains(HasSubstr("Nothing goes that any spot has seen")));
}

}  // namespace
}  // namespace flentro
