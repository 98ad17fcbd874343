// What a survey covers, on grounds that can be measured on paper.

#include "survey/coverage.h"

#include <gtest/gtest.h>

#include "findings/finding.h"
#include "fixes/tidy/unseen.h"
#include "support/surveys.h"

namespace flentro {
namespace {

using test::ground;
using test::makeBox;
using test::named;
using test::spotsAt;
using test::surveyed;

Coverage covered(const Scene& scene, const std::vector<SurveySpot>& spots, double spacing = 8) {
    return coverageOf(scene, RayScene(scene), {}, spots, spacing, noProgress()).value();
}

std::vector<SurveySpot> planned(const Scene& scene, const SpotPlan& plan) {
    return planSpots(scene, RayScene(scene), plan, noProgress()).value();
}

/// Ground of 200 m with a tower of 12 m whose roof of 10 m can be stood on.
Scene roofAboveGround() {
    return test::makeScene({{named(test::makeGrid(4, 4, 200), "ground"), {-100, 0, -100}},
                            {named(makeBox({10, 12, 10}), "tower"), {0, 6, 0}}});
}

TEST(Coverage, OfAWalkedRoomIsAllOfIt) {
    const Scene scene = test::makeScene({ground(40)});
    const Coverage coverage = covered(scene, planned(scene, {}));
    EXPECT_NEAR(coverage.ground, 1600, 100);
    EXPECT_GT(coverage.share(), 0.95);
    EXPECT_TRUE(coverage.isEnough());
    EXPECT_NE(coverage.text().find("of the ground"), std::string::npos) << coverage.text();
}

TEST(Coverage, OfARoofIsNextToNothing) {
    const Scene scene = roofAboveGround();
    const auto roof = spotsAt({{0, 13.7, 0}});
    const Coverage coverage = covered(scene, roof);
    EXPECT_NEAR(coverage.ground, 40000, 2000) << "the roof is less than a tenth of it";
    EXPECT_LT(coverage.share(), 0.05);
    EXPECT_FALSE(coverage.isEnough());
    ASSERT_EQ(coverage.grounds.size(), 1U);
    EXPECT_NEAR(coverage.grounds[0].eye.y(), 1.7, 0.01) << "a start on the ground is proposed";
}

TEST(Coverage, OfHalfAGroundIsHalf) {
    const Scene scene =
        test::makeScene({{named(test::makeGrid(4, 4, 80), "ground"), {-40, 0, -40}}});
    auto spots = planned(scene, {});
    std::erase_if(spots, [](const SurveySpot& spot) { return spot.eye.x() > -4; });
    EXPECT_NEAR(covered(scene, spots).share(), 0.5, 0.08);
}

TEST(Coverage, TooLittleConcludesNothingAboutWhatIsNotSeen) {
    Scene scene = roofAboveGround();
    Survey survey = surveyed(scene, spotsAt({{0, 13.7, 0}}));
    const auto neverSeen = [&] {
        Memo memo;
        std::size_t count = takeUnseen(scene, survey).size();
        const Diagnosis found =
            diagnose(scene, test::surveyDisplay(), &survey, std::nullopt, memo, noProgress())
                .value();
        for (const Finding& finding : found.findings) count += finding.rule->needsCoverage;
        return count;
    };
    EXPECT_GT(neverSeen(), 0U) << "walls of the tower, from a survey of unknown coverage";
    survey.setCoverage(covered(scene, spotsAt({{0, 13.7, 0}})), scene);
    EXPECT_EQ(survey.coverage->objects, 2U);
    EXPECT_EQ(neverSeen(), 0U);
}

TEST(Coverage, AWalkThatBeginsOnARoofAlsoWalksOnTheGround) {
    const Scene scene = roofAboveGround();
    SpotPlan plan;
    plan.starts = {{0, 13.7, 0}};
    const auto spots = planned(scene, plan);
    std::size_t below = 0;
    std::size_t above = 0;
    for (const SurveySpot& spot : spots) (spot.eye.y() < 2 ? below : above) += spot.level == 0;
    EXPECT_GE(above, 1U);
    EXPECT_GT(below, 500U);
    EXPECT_GT(covered(scene, spots).share(), 0.95);
    plan.largestGround = false;
    for (const SurveySpot& spot : planned(scene, plan)) EXPECT_GT(spot.eye.y(), 13);
}

TEST(Coverage, AProductIsCoveredFromAllSides) {
    const Scene scene = test::makeScene({{makeBox({1, 2, 1}), {5, 1, 5}}});
    const Coverage coverage = covered(scene, planned(scene, {}));
    EXPECT_TRUE(coverage.isAround);
    EXPECT_EQ(coverage.share(), 1);
    EXPECT_EQ(coverage.text(), "all sides");
}

TEST(Coverage, AShipIsWalkedAndViewedFromAround) {
    // A hull that tapers, with a deck of 40 m and a house on it; no sea.
    std::vector<test::Placed> placed = {{named(makeBox({40, 1, 8}), "deck"), {0, 5, 0}},
                                        {named(makeBox({6, 8, 4}), "house"), {-10, 9, 0}},
                                        {named(makeBox({4, 1, 1}), "bow"), {30, 5, 0}},
                                        {named(makeBox({1, 1, 20}), "yard"), {0, 20, 0}}};
    const Scene scene = test::makeScene(placed);
    EXPECT_TRUE(standsAlone(scene, RayScene(scene)));
    SpotPlan plan;
    plan.starts = {{10, 7.2, 0}};
    const auto spots = planned(scene, plan);
    const auto around = static_cast<std::size_t>(std::count_if(
        spots.begin(), spots.end(), [](const SurveySpot& spot) { return !spot.views.empty(); }));
    EXPECT_EQ(around, 72U);
    EXPECT_GT(spots.size(), around) << "the deck is walked";
    EXPECT_FALSE(standsAlone(roofAboveGround(), RayScene(roofAboveGround())));
}

}  // namespace
}  // namespace flentro
