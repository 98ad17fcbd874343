// The views that findings are counted in, and what they say of a whole survey.

#include "findings/counted_views.h"

#include <gtest/gtest.h>

#include "support/surveys.h"

namespace flentro {
namespace {

using test::makeBox;

/// Twelve boxes all around, each of 12 triangles.
Scene ring() {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 12; ++i) {
        const double angle = i * kPi / 6;
        placed.push_back({makeBox({1, 1, 1}), {30 * std::cos(angle), 0, 30 * std::sin(angle)}});
    }
    return test::makeScene(std::move(placed));
}

double meanOfAll(const Survey& survey, Measure measure) {
    double sum = 0, views = 0;
    for (const SpotResult& spot : survey.spots)
        for (const ViewTally& tally : spot.tallies) {
            sum += at(tally.counts, measure);
            ++views;
        }
    return sum / views;
}

class SurveyMeans : public testing::Test {
protected:
    SurveyMeans() {
        SurveySettings settings = test::plainSurvey();
        settings.faceSize = 0;
        std::vector<SurveySpot> spots;
        for (int i = 0; i < 10; ++i)
            spots.push_back({std::to_string(i), {2.0 * i - 9, 1, 0.5 * i}, 0, {}});
        many_ = test::surveyed(scene_, spots, settings);
        one_ = test::surveyed(scene_, test::spotsAt({{0, 1, 0}}), settings);
    }
    /// What the first box adds to a view.
    static Counts firstBox(const CountedView& view) {
        Counts counts{};
        for (const DrawnObject& drawn : view.cost.drawn)
            if (drawn.object == 0) at(counts, Measure::Triangles) = 12;
        return counts;
    }

    Scene scene_ = ring();
    SceneIndex index_{scene_};
    Survey many_;
    Survey one_;
    std::optional<Viewpoint> here_ = Viewpoint();
};

TEST_F(SurveyMeans, AreExactForAShareOfAllViews) {
    ASSERT_EQ(many_.spots.size() * many_.spots[0].views.size(), 80U) << "more than are counted";
    const Target display = test::surveyDisplay();
    const CountedViews counted(scene_, display, index_, &many_, here_);
    const Relief all = counted.relief([](const CountedView& view) { return view.cost.counts; });
    for (const Measure measure : {Measure::Triangles, Measure::DrawCalls, Measure::Objects})
        EXPECT_NEAR(at(all.mean, measure), meanOfAll(many_, measure), 1e-9);
}

TEST_F(SurveyMeans, AreNearTheTruthForOneThing) {
    const Target display = test::surveyDisplay();
    const CountedViews counted(scene_, display, index_, &many_, here_);
    const double told = at(counted.relief(firstBox).mean, Measure::Triangles);
    double sum = 0, views = 0;
    for (const SpotResult& spot : many_.spots)
        for (const Viewpoint& view : spot.views) {
            for (const DrawnObject& drawn : viewCost(scene_, display, view).drawn)
                if (drawn.object == 0) sum += 12;
            ++views;
        }
    EXPECT_GT(sum, 0);
    EXPECT_NEAR(told, sum / views, 0.35 * sum / views);
}

TEST_F(SurveyMeans, OfFewViewsAreThoseOfAll) {
    const Target display = test::surveyDisplay();
    const CountedViews counted(scene_, display, index_, &one_, here_);
    double seen = 0;
    for (const Viewpoint& view : one_.spots[0].views)
        for (const DrawnObject& drawn : viewCost(scene_, display, view).drawn)
            seen += drawn.object == 0;
    EXPECT_GT(seen, 0);
    EXPECT_NEAR(at(counted.relief(firstBox).mean, Measure::Triangles), 12 * seen / 8, 1e-9);
}

TEST_F(SurveyMeans, WithoutASurveyThePresentViewIsAllThereIs) {
    const Target display = test::surveyDisplay();
    const CountedViews counted(scene_, display, index_, nullptr, here_);
    const Relief all = counted.relief([](const CountedView& view) { return view.cost.counts; });
    EXPECT_GT(at(all.here, Measure::Triangles), 0);
    EXPECT_EQ(all.mean, all.here);
}

}  // namespace
}  // namespace flentro
