// Light reach, fewer lights, shadow lights.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "base/index.h"
#include "fixes/fewer_lights/fewer_lights.h"
#include "fixes/light_reach/light_reach.h"
#include "fixes/lights/light_limits.h"
#include "fixes/lights/light_report.h"
#include "fixes/shadow_lights/shadow_lights.h"
#include "io/gltf.h"
#include "measure/lights_on_objects.h"
#include "measure/view_meter.h"
#include "report/export.h"
#include "scene/shadow_lights.h"
#include "support/lights.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::Lamp;
using testing::Contains;
using testing::HasSubstr;

constexpr float kEndless = std::numeric_limits<float>::infinity();
const double kInfinity = std::numeric_limits<double>::infinity();

Evidence evidenceFor(const Scene& scene, std::initializer_list<Vec3d> eyes) {
    return evidenceOf(test::litSurvey(scene, eyes), scene);
}

Target limitless() {
    Target target = test::surveyDisplay();
    target.limits = kNoLimits;
    return target;
}

// --- limits -------------------------------------------------------------------------------

TEST(LightLimits, CountsWhatAnyHeadingTakesIn) {
    // Four small lamps around the eye, a view of 90 degrees: two at most, at a corner.
    std::vector<LimitedLight> lights;
    for (const Vec3d& at : {Vec3d(10, 0, 0), Vec3d(-10, 0, 0), Vec3d(0, 0, 10), Vec3d(0, 0, -10)})
        lights.push_back({at, 0.5, kInfinity, false});
    EXPECT_EQ(mostInView(lights, Vec3d::Zero(), 90), 2U);
    EXPECT_EQ(mostInView(lights, Vec3d::Zero(), 60), 1U);
    EXPECT_EQ(mostInView(lights, {0, 0, 20}, 90), 4U) << "all before the eye";
    lights.push_back({{100, 0, 0}, kInfinity, kInfinity, false});
    EXPECT_EQ(mostInView(lights, Vec3d::Zero(), 60), 2U) << "without a range it is everywhere";
    lights[0].end = 5;
    EXPECT_EQ(mostInView(lights, Vec3d::Zero(), 90), 3U);
}

TEST(LightLimits, AgreesWithWhatTheViewsCount) {
    Scene scene = test::groundWith({}, {});
    for (int i = 0; i < 12; ++i)
        test::addLamp(scene, {{8 * std::cos(i * 1.9), 2, 11 * std::sin(i * 2.3)},
                              100,
                              static_cast<float>(1 + i % 4)});
    const Target target = test::surveyDisplay();
    std::vector<LimitedLight> lights;
    for (const PlacedLight& light : scene.placedLights)
        lights.push_back({light.position, light.range, kInfinity, false});
    const ViewMeter meter(scene, target);
    std::size_t most = 0;
    for (int heading = 0; heading < 360; heading += 1) {
        const ViewCost cost = meter.cost({{1, 1.7, 2}, static_cast<double>(heading), 0});
        most = std::max(most, static_cast<std::size_t>(at(cost.counts, Measure::Lights)));
    }
    const std::size_t told = mostInView(lights, {1, 1.7, 2}, target.projection().horizontalFov());
    EXPECT_GE(told, most) << "never fewer than a view counts";
    EXPECT_LE(told, most + 1);
}

TEST(LightLimits, CutsWhatIsMissedLeastAndFixedOnesNever) {
    std::vector<LimitedLight> lights;
    for (int i = 0; i < 4; ++i) lights.push_back({{0, 0, -10.0 - i}, 1, kInfinity, false});
    lights[3].isFixed = true;
    const std::vector<Vec3d> eyes = {Vec3d::Zero()};
    const std::vector<std::vector<LightWorth>> worth = {
        {{0, 0.1F, 0.1F}, {1, 0.5F, 0.5F}, {2, 0.3F, 0.3F}}};
    const LightLimits two = limitLights(lights, 2, eyes, 60, worth, true);
    EXPECT_EQ(two.most, 2U);
    EXPECT_EQ(two.placesOver, 0U);
    EXPECT_NEAR(two.ends[0], 10, 1e-9);
    EXPECT_EQ(two.ends[1], kInfinity);
    EXPECT_NEAR(two.ends[2], 12, 1e-9);
    EXPECT_EQ(two.ends[3], kInfinity);
    EXPECT_EQ(limitLights(lights, 2, eyes, 60, worth, false).ends[0], 0);
    const LightLimits none = limitLights(lights, 0, eyes, 60, worth, true);
    EXPECT_EQ(none.most, 1U);
    EXPECT_EQ(none.placesOver, 1U) << "the fixed one is too many";
}

TEST(LightLimits, ADistanceCountsWhatIsLostBehindIt) {
    // Worth nothing from near, but much from afar: cutting it at the near eye would lose that.
    const std::vector<LimitedLight> lights = {{{0, 0, -5}, 1, kInfinity, false},
                                              {{0, 0, -6}, 1, kInfinity, false}};
    const std::vector<Vec3d> eyes = {{0, 0, 0}, {0, 0, 40}};
    const std::vector<std::vector<LightWorth>> worth = {{{1, 0.2F, 0.2F}}, {{0, 0.9F, 0.9F}}};
    const LightLimits limited = limitLights(lights, 1, eyes, 60, worth, true);
    EXPECT_EQ(limited.ends[0], kInfinity);
    EXPECT_NEAR(limited.ends[1], 6, 1e-9);
}

TEST(LightLimits, HoldBetweenSpotsToo) {
    // Seen from 10 m, cut there, and not back where a player steps 3 m nearer.
    const std::vector<LimitedLight> lights = {{{0, 0, -10}, 1, kInfinity, false},
                                              {{0, 0, -9}, 1, kInfinity, false}};
    const std::vector<Vec3d> eyes = {Vec3d::Zero()};
    const std::vector<std::vector<LightWorth>> worth = {{{1, 0.2F, 0.2F}}};
    EXPECT_NEAR(limitLights(lights, 1, eyes, 60, worth, true).ends[0], 10, 1e-9);
    EXPECT_NEAR(limitLights(lights, 1, eyes, 60, worth, true, 3).ends[0], 7, 1e-9);
    EXPECT_EQ(limitLights(lights, 0, eyes, 60, worth, true, 50).ends[0], 0) << "as near as that";
    EXPECT_EQ(slackBetween(eyes), 0);
    EXPECT_EQ(slackBetween(std::vector<Vec3d>{{0, 0, 0}, {6, 0, 0}, {12, 0, 0}}), 3);
    EXPECT_EQ(slackBetween(std::vector<Vec3d>{{0, 0, 0}, {60, 0, 0}}), 4);
}

// --- reach --------------------------------------------------------------------------------

TEST(LightReach, WithoutASurveyEndsWhereItAddsTooLittle) {
    const Scene scene = test::groundWith({}, {{{0, 3, 0}, 50, kEndless}, {{5, 3, 0}, 50, 4}});
    const Fixed fixed = applyLightReach(scene, {}, {}, noProgress()).value();
    // 50 cd / (10 m)^2 = 0.5 lux
    EXPECT_NEAR(fixed.scene.placedLights[0].range, 10, 1e-4);
    EXPECT_NEAR(fixed.scene.lights[0].rest["range"].get<double>(), 10, 1e-4);
    EXPECT_EQ(fixed.scene.placedLights[1].range, 4) << "never longer than the author's";
    EXPECT_THAT(fixed.record.summary,
                HasSubstr("1 of 2 lights end sooner, 1 of them had no range"));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("estimate")));
}

TEST(LightReach, EndsWhereAnotherLightOutshinesIt) {
    // A faint lamp beside one that is hundred times as strong matters close by only.
    const Scene scene =
        test::groundWith({}, {{{0, 2, 0}, 1000, kEndless}, {{4, 1, 0}, 10, kEndless}});
    const Evidence evidence = evidenceFor(scene, {{2, 1.7, 6}, {2, 1.7, -6}, {12, 1.7, 0}});
    const Fixed fixed = applyLightReach(scene, {}, evidence, noProgress()).value();
    const double faint = fixed.scene.placedLights[1].range;
    EXPECT_GT(faint, 0.5);
    EXPECT_GT(fixed.scene.placedLights[0].range, 2 * faint);
    EXPECT_TRUE(std::isfinite(fixed.scene.placedLights[0].range));
    const auto* report = fixed.record.reportAs<LightReport>();
    ASSERT_TRUE(report);
    EXPECT_EQ(report->lights.size(), 2U);
    EXPECT_LE(report->worstChange, 0.01) << "as much as may change";
    EXPECT_GT(report->worstChange, 0);
    LightReachSettings strict;
    strict.maxChange = 0.001;
    const Fixed longer = applyLightReach(scene, strict, evidence, noProgress()).value();
    EXPECT_GT(longer.scene.placedLights[1].range, faint);
    EXPECT_LE(longer.record.reportAs<LightReport>()->worstChange, 0.001);
}

TEST(LightReach, MovingLightsStay) {
    Scene scene = test::groundWith({}, {{{0, 3, 0}, 50, kEndless}});
    Animation animation;
    animation.channels = Json::array(
        {{{"sampler", 0},
          {"target", {{"node", scene.placedLights[0].node}, {"path", "translation"}}}}});
    scene.animations = {animation};
    const Fixed fixed = applyLightReach(scene, {}, {}, noProgress()).value();
    EXPECT_FALSE(std::isfinite(fixed.scene.placedLights[0].range));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 moving light reaches as far as before")));
}

TEST(LightReach, LightsOfOneKindStayAlike) {
    Scene scene = test::groundWith({}, {{{0, 3, 0}, 50, kEndless}});
    Node second = scene.nodes.back();
    second.name = "lamp 2";
    second.local(0, 3) = 8;
    scene.scenes[0]["nodes"].push_back(scene.nodes.size());
    scene.nodes.push_back(second);
    flatten(scene);
    const Fixed fixed =
        applyLightReach(scene, {}, evidenceFor(scene, {{0, 1.7, 6}}), noProgress()).value();
    EXPECT_EQ(fixed.scene.placedLights[0].range, fixed.scene.placedLights[1].range);
    EXPECT_TRUE(std::isfinite(fixed.scene.placedLights[0].range));
}

// --- lights on one object -----------------------------------------------------------------

/// A crate under two lamps, and a third whose range ends just inside of it.
Scene crateUnderLamps() {
    return test::groundWith({{test::makeBox({1, 1, 1}), {0, 0.5, 0}}},
                            {{{-1, 3, 0}, 100, 12}, {{1, 3, 0}, 100, 12}, {{10, 3, 0}, 100, 10}});
}

FewerLightSettings onlyObjects(int perObject) {
    FewerLightSettings settings;
    settings.minChange = 0;
    settings.mergeWithin = 0;
    settings.capViews = false;
    settings.perObject = perObject;
    return settings;
}

TEST(FewerLights, RangesEndBeforeObjectsThatHaveTooMany) {
    const Scene scene = crateUnderLamps();
    const Evidence evidence = evidenceFor(scene, {{0, 1.7, 6}, {6, 1.7, 6}});
    ASSERT_EQ(lightsOnObjects(scene)[1].size(), 3U);
    const Fixed fixed =
        applyFewerLights(scene, onlyObjects(2), limitless(), evidence, noProgress()).value();
    EXPECT_EQ(lightsOnObjects(fixed.scene)[1], (std::vector<std::uint32_t>{0, 1}));
    EXPECT_EQ(fixed.scene.placedLights[0].range, 12) << "the stronger ones stay";
    // From (10, 3, 0) to the crate's edge at (0.5, 1, 0).
    EXPECT_NEAR(fixed.scene.placedLights[2].range, std::hypot(9.5, 2), 0.02);
    EXPECT_NEAR(fixed.scene.lights[2].rest["range"].get<double>(), std::hypot(9.5, 2), 0.02);
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 range ends before objects")));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 object is still lit by more than 2")))
        << "the ground: no range is cut by more than half";
    EXPECT_LE(fixed.record.reportAs<LightReport>()->worstChange, 0.01);
}

TEST(FewerLights, NoRangeEndsWhereThatWouldShow) {
    Scene scene = crateUnderLamps();
    FewerLightSettings settings = onlyObjects(2);
    settings.maxMergeChange = 0;
    const Evidence evidence = evidenceFor(scene, {{0, 1.7, 6}, {6, 1.7, 6}});
    const Fixed strict =
        applyFewerLights(scene, settings, limitless(), evidence, noProgress()).value();
    EXPECT_EQ(strict.scene.placedLights[2].range, 10);
    const Fixed blind =
        applyFewerLights(scene, onlyObjects(2), limitless(), {}, noProgress()).value();
    EXPECT_EQ(blind.scene.placedLights[2].range, 10) << "without a survey nothing is known of it";
    EXPECT_THAT(blind.record.notes, Contains(HasSubstr("2 objects are still lit")));
    const Fixed any =
        applyFewerLights(scene, onlyObjects(0), limitless(), evidence, noProgress()).value();
    EXPECT_EQ(any.scene.placedLights[2].range, 10);
}

/// Lamps of one definition: only that which is cut gets its own.
TEST(FewerLights, AnotherLampOfTheSameKindKeepsItsRange) {
    Scene scene = crateUnderLamps();
    Node far = scene.nodes.back();
    far.name = "lamp far away";
    far.local(0, 3) = 25;
    scene.scenes[0]["nodes"].push_back(scene.nodes.size());
    scene.nodes.push_back(far);
    flatten(scene);
    const Evidence evidence = evidenceFor(scene, {{0, 1.7, 6}, {6, 1.7, 6}});
    const Scene fixed =
        applyFewerLights(scene, onlyObjects(2), limitless(), evidence, noProgress())->scene;
    EXPECT_LT(fixed.placedLights[2].range, 9.8);
    EXPECT_EQ(fixed.placedLights[3].range, 10);
    EXPECT_EQ(fixed.lights.size(), scene.lights.size() + 1);
    Scene again = fixed;
    flatten(again);
    EXPECT_NEAR(again.placedLights[2].range, fixed.placedLights[2].range, 1e-6)
        << "as a reader of the nodes has it";
}

// --- shadow lights ------------------------------------------------------------------------

/// Four lamps before the eye; only the first has something to throw a shadow that is seen.
Scene lampRow() {
    std::vector<Lamp> lamps;
    for (int i = 0; i < 4; ++i) lamps.push_back({{-9.0 + 6 * i, 3, -8}, 100, 12});
    return test::groundWith({{test::makeBox({1, 2, 1}), {-8, 1, -6}}}, lamps);
}

TEST(ShadowLights, KeepsThoseWhoseShadowsShowAndDropsTheOthers) {
    const Scene scene = lampRow();
    Target target = test::surveyDisplay();
    at(target.limits, Measure::ShadowLights) = 1;
    const Evidence evidence = evidenceFor(scene, {{-4, 1.7, 0}});
    const Fixed fixed = applyShadowLights(scene, {}, target, evidence, noProgress()).value();
    EXPECT_TRUE(fixed.scene.placedLights[0].castsShadow);
    EXPECT_FALSE(fixed.scene.placedLights[2].castsShadow) << "its light meets no box that shows";
    EXPECT_FALSE(fixed.scene.placedLights[3].castsShadow);
    const Json& rest = elementOf(fixed.scene.nodes, fixed.scene.placedLights[3].node).rest;
    EXPECT_EQ(rest["extras"]["castsShadow"], false);
    EXPECT_THAT(fixed.record.summary, HasSubstr("at most 1 in any view"));
}

TEST(ShadowLights, AtOnceTheStrongestAtTheEyeCast) {
    Scene scene = test::groundWith(
        {},
        {{{0, 3, -4}, 100}, {{0, 3, -8}, 900}, {{0, 3, -30}, 1000, 60}, {{3, 3, 0}, 1, 20, false}});
    EXPECT_EQ(castingLights(scene, {0, 3, 0}), (std::vector<bool>{true, true, true, false}));
    limitShadowLights(scene, 1);
    // 100 / 4^2 = 6.3, 900 / 8^2 = 14, 1000 / 30^2 = 1.1
    EXPECT_EQ(castingLights(scene, {0, 3, 0}), (std::vector<bool>{false, true, false, false}));
    EXPECT_EQ(castingLights(scene, {0, 3, -4}), (std::vector<bool>{true, false, false, false}));
    scene.placedLights[1].shadowEnd = 6;
    EXPECT_EQ(castingLights(scene, {0, 3, 0}), (std::vector<bool>{true, false, false, false}))
        << "what is too far to cast takes no place";
}

TEST(ShadowLights, ThoseTooManyMayWaitUntilTheyAreTheStrongest) {
    // Each lamp has a box before it whose shadow is seen.
    std::vector<test::Placed> boxes;
    std::vector<Lamp> lamps;
    for (int i = 0; i < 4; ++i) {
        boxes.push_back({test::makeBox({1, 2, 1}), {-8.0 + 6 * i, 1, -6}});
        lamps.push_back({{-9.0 + 6 * i, 3, -8}, 100, 12});
    }
    const Scene scene = test::groundWith(boxes, lamps);
    Target target = test::surveyDisplay();
    at(target.limits, Measure::ShadowLights) = 2;
    ShadowLightSettings settings;
    settings.minChange = 0;
    settings.excess = ShadowLightSettings::Excess::AtOnce;
    const Evidence evidence = evidenceFor(scene, {{-4, 1.7, 0}, {4, 1.7, 0}});
    const Fixed fixed = applyShadowLights(scene, settings, target, evidence, noProgress()).value();
    EXPECT_EQ(fixed.scene.shadowLightsAtOnce, 2);
    EXPECT_TRUE(fixed.scene.placedLights[0].castsShadow);
    EXPECT_EQ(fixed.scene.placedLights[0].shadowEnd, kInfinity);
    const auto casting = castingLights(fixed.scene, {0, 1.7, 0});
    EXPECT_EQ(std::count(casting.begin(), casting.end(), true), 2);
    const ViewMeter meter(fixed.scene, target);
    std::size_t most = 0;
    for (double x = -12; x <= 12; x += 1.5)
        for (int heading = 0; heading < 360; heading += 15) {
            const ViewCost cost = meter.cost({{x, 1.7, 0}, static_cast<double>(heading), 0});
            most = std::max(most, static_cast<std::size_t>(at(cost.counts, Measure::ShadowLights)));
            EXPECT_EQ(std::count_if(cost.lights.begin(), cost.lights.end(),
                                    [](const DrawnLight& light) { return light.castsShadow; }),
                      at(cost.counts, Measure::ShadowLights));
        }
    EXPECT_EQ(most, 2U) << "between spots as well";
    EXPECT_EQ(makeManifest(fixed.scene, target)["shadowLightsAtOnce"], 2);
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(fixed.scene, folder / "lamps.glb", {}, noProgress()));
    EXPECT_EQ(readGltf(folder / "lamps.glb", noProgress())->shadowLightsAtOnce, 2);
}

TEST(ShadowLights, NoViewHoldsMoreThanTheLimit) {
    Scene scene = lampRow();
    Target target = test::surveyDisplay();
    at(target.limits, Measure::ShadowLights) = 2;
    ShadowLightSettings settings;
    settings.minChange = 0;
    const auto eyes = {Vec3d(-4, 1.7, 0), Vec3d(4, 1.7, 0), Vec3d(0, 1.7, -14), Vec3d(0, 1.7, 10)};
    const Evidence evidence = evidenceFor(scene, eyes);
    for (const auto excess :
         {ShadowLightSettings::Excess::Distance, ShadowLightSettings::Excess::Never}) {
        settings.excess = excess;
        const Scene after =
            applyShadowLights(scene, settings, target, evidence, noProgress())->scene;
        const ViewMeter meter(after, target);
        for (const Vec3d& eye : eyes)
            for (int heading = 0; heading < 360; heading += 5) {
                const ViewCost cost = meter.cost({eye, static_cast<double>(heading), 0});
                EXPECT_LE(at(cost.counts, Measure::ShadowLights), 2);
                EXPECT_EQ(
                    at(cost.counts, Measure::Lights),
                    at(ViewMeter(scene, target).cost({eye, static_cast<double>(heading), 0}).counts,
                       Measure::Lights))
                    << "all go on shining";
            }
    }
}

TEST(ShadowLights, WithoutASurveyItIsAnEstimateThatHoldsTheLimit) {
    Target target = test::surveyDisplay();
    at(target.limits, Measure::ShadowLights) = 1;
    const Fixed fixed = applyShadowLights(lampRow(), {}, target, {}, noProgress()).value();
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("estimate")));
    EXPECT_THAT(fixed.record.summary, HasSubstr("at most 1 in any view"));
}

TEST(ShadowLights, DistancesLeaveAndComeBack) {
    Scene scene = lampRow();
    scene.placedLights[1].shadowEnd = 12.5;
    scene.placedLights[2].end = 30;
    scene.placedLights[2].fadeStart = 24;
    const auto path = std::filesystem::path(testing::TempDir()) / "shadow_lights.glb";
    ASSERT_TRUE(writeGltf(scene, path, {}, noProgress()));
    const auto again = readGltf(path, noProgress());
    ASSERT_TRUE(again);
    EXPECT_EQ(again->placedLights[0].shadowEnd, kInfinity);
    EXPECT_EQ(again->placedLights[1].shadowEnd, 12.5);
    EXPECT_EQ(again->placedLights[1].end, kInfinity);
    EXPECT_EQ(again->placedLights[2].end, 30);
    EXPECT_EQ(again->placedLights[2].fadeStart, 24);
}

// --- fewer lights -------------------------------------------------------------------------

TEST(FewerLights, DropsWhatNothingSeenDependsOn) {
    // The second lamp is shut into a box of its own.
    const Scene scene = test::groundWith({{test::makeBox({2, 2, 2}), {6, 1, -6}}},
                                         {{{0, 3, -5}}, {{40, -20, 40}, 100, 5}});
    const Evidence evidence = evidenceFor(scene, {{0, 1.7, 0}});
    const Fixed fixed =
        applyFewerLights(scene, {}, test::surveyDisplay(), evidence, noProgress()).value();
    ASSERT_EQ(fixed.scene.placedLights.size(), 1U);
    EXPECT_EQ(fixed.scene.placedLights[0].name, "lamp 1");
    EXPECT_EQ(fixed.scene.nodes[3].light, -1);
    EXPECT_EQ(scene.placedLights.size(), 2U);
    EXPECT_EQ(fixed.record.reportAs<LightReport>()->worstChange, 0);
}

TEST(FewerLights, LikeLightsCloseTogetherBecomeOne) {
    const Scene scene = test::groundWith(
        {},
        {{{0, 4, -6}, 60, 12, false}, {{0.4, 4, -6}, 40, 12, false}, {{9, 4, -6}, 50, 12, false}});
    const Evidence evidence = evidenceFor(scene, {{0, 1.7, 0}, {6, 1.7, 2}});
    FewerLightSettings settings;
    settings.capViews = false;
    const Fixed fixed =
        applyFewerLights(scene, settings, test::surveyDisplay(), evidence, noProgress()).value();
    ASSERT_EQ(fixed.scene.placedLights.size(), 2U);
    const PlacedLight& one = fixed.scene.placedLights[1];
    EXPECT_NEAR(one.position.x(), 0.16, 1e-6) << "where their power balances";
    EXPECT_EQ(elementOf(fixed.scene.lights, one.light).intensity, 100);
    EXPECT_THAT(one.origins, testing::UnorderedElementsAre(0U, 1U));
    EXPECT_GT(fixed.record.reportAs<LightReport>()->worstChange, 0);
    EXPECT_LT(fixed.record.reportAs<LightReport>()->worstChange, settings.maxMergeChange);
    settings.mergeWithin = 0.2;
    EXPECT_EQ(applyFewerLights(scene, settings, test::surveyDisplay(), evidence, noProgress())
                  ->scene.placedLights.size(),
              3U);
}

TEST(FewerLights, OthersThanLikeOnesStayApart) {
    Scene scene =
        test::groundWith({}, {{{0, 4, -6}, 60, 12, false}, {{0.4, 4, -6}, 60, 12, false}});
    scene.lights[1].color = {1, 0.2F, 0.1F};
    const Evidence evidence = evidenceFor(scene, {{0, 1.7, 0}});
    EXPECT_EQ(applyFewerLights(scene, {}, test::surveyDisplay(), evidence, noProgress())
                  ->scene.placedLights.size(),
              2U);
}

TEST(FewerLights, DistancesKeepEveryViewWithinTheLimit) {
    Scene scene = test::groundWith({}, {});
    for (int i = 0; i < 30; ++i)
        test::addLamp(scene, {{-20 + 8.0 * (i % 6), 3, -16 + 8.0 * (i / 6)}, 40, 6});
    Target target = test::surveyDisplay();
    at(target.limits, Measure::Lights) = 5;
    const auto eyes = {Vec3d(0, 1.7, 0), Vec3d(-18, 1.7, 12), Vec3d(15, 1.7, -10)};
    const Evidence evidence = evidenceFor(scene, eyes);
    const Fixed fixed = applyFewerLights(scene, {}, target, evidence, noProgress()).value();
    const ViewMeter meter(fixed.scene, target);
    for (const Vec3d& eye : eyes)
        for (int heading = 0; heading < 360; heading += 5)
            EXPECT_LE(
                at(meter.cost({eye, static_cast<double>(heading), 0}).counts, Measure::Lights), 5);
    for (const PlacedLight& light : fixed.scene.placedLights)
        if (std::isfinite(light.end)) {
            EXPECT_NEAR(light.fadeStart, 0.8 * light.end, 1e-9);
        }
}

TEST(LightsInViews, ShadowsEndAtTheirDistance) {
    Scene scene = test::groundWith({}, {{{0, 3, -10}}});
    const Target target = test::surveyDisplay();
    const Viewpoint view{{0, 3, 0}, 0, 0};
    EXPECT_EQ(at(viewCost(scene, target, view).counts, Measure::ShadowLights), 1);
    scene.placedLights[0].shadowEnd = 10.5;
    EXPECT_EQ(at(viewCost(scene, target, view).counts, Measure::ShadowLights), 1);
    scene.placedLights[0].shadowEnd = 10;
    const ViewCost cost = viewCost(scene, target, view);
    EXPECT_EQ(at(cost.counts, Measure::ShadowLights), 0);
    EXPECT_EQ(at(cost.counts, Measure::Lights), 1);
    EXPECT_EQ(cost.shadowTriangles, 0);
    ASSERT_EQ(cost.lights.size(), 1U);
    EXPECT_FALSE(cost.lights[0].castsShadow);
    EXPECT_EQ(at(wholeSceneCost(scene, target).counts, Measure::ShadowLights), 1)
        << "from nowhere it is at no distance";
}

}  // namespace
}  // namespace flentro
