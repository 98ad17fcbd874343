// Culling distances: by size, by what was seen, rounded, in fog, before a nearer far plane.

#include "fixes/culling/culling.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "report/export.h"
#include "support/display.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;
using testing::Contains;
using testing::HasSubstr;

/// H / (2 tan 30 degrees)
constexpr double kPixelsAtOneMetre = 935.3074;
constexpr double kInfinity = std::numeric_limits<double>::infinity();

TEST(Culling, ObjectGoesWhereItIsTheClassesPixelsTall) {
    CullingSettings settings;
    settings.rounded = false;
    settings.classes = {{"small", 2, 8}, {"large", kInfinity, 4}};
    EXPECT_NEAR(cullingDistance(settings, display(), 1), kPixelsAtOneMetre / 8, 1e-3);
    EXPECT_NEAR(cullingDistance(settings, display(), 2), 2 * kPixelsAtOneMetre / 8, 1e-3);
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 3), 490) << "500 m less two percent";
    settings.classes.back().pixels = 0;
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 2.1), 490) << "never by size";
}

TEST(Culling, SetsFadeBandBeforeTheEnd) {
    const Scene scene =
        test::makeScene({{test::makeBox({0.1F, 0.1F, 0.1F}), {0, 0, 0}},
                         {test::named(test::makeBox({90, 90, 90}), "hall"), {0, 0, 0}}});
    CullingSettings settings;
    settings.fade = 0.25;
    settings.rounded = false;
    const Fixed fixed = applyCulling(scene, settings, display(), {}, noProgress()).value();
    const Culling& culling = fixed.scene.objects[0].culling;
    EXPECT_NEAR(culling.end, std::sqrt(0.03) * kPixelsAtOneMetre / 5, 1e-2);
    EXPECT_DOUBLE_EQ(culling.fadeStart, 0.75 * culling.end);
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 of 2 objects"));
}

TEST(Culling, ScaleCountsAndOverridesWin) {
    Scene scene = test::makeScene({{test::makeBox({0.1F, 0.1F, 0.1F}), {0, 0, 0}, 2}});
    CullingSettings settings;
    settings.rounded = false;
    settings.classes = {{"all", kInfinity, 5}};
    const double end =
        applyCulling(scene, settings, display(), {}, noProgress())->scene.objects[0].culling.end;
    EXPECT_NEAR(end, 2 * std::sqrt(0.03) * kPixelsAtOneMetre / 5, 1e-2);
    settings.overrides["box"] = 12;
    EXPECT_DOUBLE_EQ(
        applyCulling(scene, settings, display(), {}, noProgress())->scene.objects[0].culling.end,
        12);
    settings.overrides["box"] = 1e9;
    EXPECT_DOUBLE_EQ(
        applyCulling(scene, settings, display(), {}, noProgress())->scene.objects[0].culling.end,
        490)
        << "never beyond the far plane";
}

TEST(Culling, DistancesAreRoundedUpToAFewSteps) {
    EXPECT_DOUBLE_EQ(roundedUp(10), 10);
    EXPECT_DOUBLE_EQ(roundedUp(10.1), 12);
    EXPECT_DOUBLE_EQ(roundedUp(81), 100);
    EXPECT_DOUBLE_EQ(roundedUp(0.031), 0.04);
    EXPECT_DOUBLE_EQ(roundedUp(0), 0);
    EXPECT_EQ(roundedUp(kInfinity), kInfinity);
    for (double d = 0.01; d < 1e4; d *= 1.013) {
        EXPECT_GE(roundedUp(d), d * (1 - 1e-9));
        EXPECT_LE(roundedUp(d), d * 1.34) << "never much farther than needed";
        EXPECT_DOUBLE_EQ(roundedUp(roundedUp(d)), roundedUp(d));
    }
    std::vector<test::Placed> placed;
    for (int i = 0; i < 40; ++i) {
        const float edge = 0.2F + 0.01F * static_cast<float>(i);
        placed.push_back({test::makeBox({edge, edge, edge}), {2.0 * i, 0, 0}});
    }
    const Scene after =
        applyCulling(test::makeScene(placed), {}, display(), {}, noProgress())->scene;
    std::set<double> ends;
    for (const Object& object : after.objects) ends.insert(object.culling.end);
    EXPECT_LE(ends.size(), 7U);
}

TEST(Culling, OverridesAreNotRounded) {
    CullingSettings settings;
    settings.overrides["box"] = 12.34;
    const Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}}});
    EXPECT_DOUBLE_EQ(
        applyCulling(scene, settings, display(), {}, noProgress())->scene.objects[0].culling.end,
        12.34);
}

TEST(Culling, FogLetsThingsGoByTheContrastThatIsLeft) {
    CullingSettings settings;
    settings.rounded = false;
    settings.classes = {{"all", kInfinity, 10}};
    const double clear = cullingDistance(settings, display(), 3);
    EXPECT_NEAR(clear, 3 * kPixelsAtOneMetre / 10, 1e-3);  // 280.6 m
    settings.fogStart = 100;
    settings.fogEnd = 300;
    const double end = cullingDistance(settings, display(), 3);
    const double pixels = 3 * kPixelsAtOneMetre / end;
    const double contrast = (300 - end) / 200;
    EXPECT_NEAR(pixels * contrast, 10, 1e-5) << "what is left of it is the class's limit";
    EXPECT_NEAR(cullingDistance(settings, display(), 1), kPixelsAtOneMetre / 10, 1e-3)
        << "before the fog nothing changes";
    settings.classes[0].pixels = 0;
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 3), 300) << "nothing shows beyond it";
}

TEST(Culling, NearerFarPlaneEndsEverythingAndIsToldInTheManifest) {
    CullingSettings settings;
    settings.farPlane = 200;
    const Scene scene = test::makeScene({{test::makeBox({90, 90, 90}), {0, 0, 0}}});
    const Scene after = applyCulling(scene, settings, display(), {}, noProgress())->scene;
    EXPECT_DOUBLE_EQ(after.objects[0].culling.end, 200 * 0.98);
    EXPECT_EQ(makeManifest(after, display())["farPlane"], 200);
    settings.farPlane = 2000;
    const Scene same = applyCulling(scene, settings, display(), {}, noProgress())->scene;
    EXPECT_DOUBLE_EQ(same.objects[0].culling.end, 490) << "never beyond the target's";
    EXPECT_FALSE(makeManifest(same, display()).contains("farPlane"));
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
    const double across = 0.8 * kPixelsAtOneMetre / 20;
    const Evidence seen = seeing(0, static_cast<float>(kPi / 4 * across * across), 20);
    EXPECT_NEAR(seenSizes(seen, 1, kPixelsAtOneMetre)[0], 0.8, 1e-3);
    CullingSettings settings;
    settings.classes = {{"all", kInfinity, 20}};
    settings.skyline = 1;
    settings.rounded = false;
    const auto end = [&](const Evidence& evidence) {
        return applyCulling(scene, settings, display(), evidence, noProgress())
            ->scene.objects[0]
            .culling.end;
    };
    const double bounds = 10 * kPixelsAtOneMetre / 20;
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
    settings.classes = {{"all", kInfinity, 50}};
    settings.bySeen = false;
    settings.skyline = 3;
    settings.rounded = false;
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
    settings.classes = {{"all", kInfinity, 20}};  // 81 m
    settings.skyline = 1;
    settings.rounded = false;
    Evidence evidence = seeing(0, 3000, 19);
    evidence.places[0].seen.push_back({1, 140, 89});
    settings.bySeen = false;
    const FixRecord record =
        applyCulling(scene, settings, display(), evidence, noProgress())->record;
    ASSERT_TRUE(record.reportAs<CullingReport>());
    const auto& losses = record.reportAs<CullingReport>()->losses;
    ASSERT_EQ(losses.size(), 1U);
    EXPECT_EQ(losses[0].origin, 1U);
    EXPECT_EQ(losses[0].spots, 1U);
    EXPECT_EQ(losses[0].pixels, 140);
    EXPECT_THAT(record.notes, Contains(HasSubstr("at most 140 pixels of far node")));
    evidence.places[0].seen.pop_back();
    EXPECT_THAT(applyCulling(scene, settings, display(), evidence, noProgress())->record.notes,
                Contains(HasSubstr("Nothing goes that any spot has seen")));
}

}  // namespace
}  // namespace flentro
