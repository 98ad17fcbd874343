// Surveys as a project asks for them: where they stand, and what is kept of them.

#include "project/surveying.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/merge/merge.h"
#include "support/lights.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::Each;
using testing::Field;
using Where = SurveyRequest::Where;

class Surveying : public testing::Test {
protected:
    void SetUp() override {
        project_.target = test::surveyDisplay();
        project_.view.eye = {0, 1.7, 0};
        project_.survey.faceSize = 32;
        std::filesystem::remove(cache_);
    }
    void TearDown() override { std::filesystem::remove(cache_); }

    Expected<std::vector<SurveySpot>> spots(Where where, const std::string& node = {}) {
        project_.survey.where = where;
        project_.survey.node = node;
        std::unique_ptr<RayScene> rays;
        return spotsFor(project_, scene_, scene_, rays, noProgress());
    }
    Expected<Survey> survey(Progress& progress = noProgress()) {
        return surveyFor(project_, scene_, scene_, cache_, progress);
    }

    const Scene scene_ = test::groundWith({{test::makeBox({2, 2, 2}), {6, 1, 0}}},
                                          {{{0, 4, -6}, 40, 20, true}, {{4, 4, 6}, 40, 20, true}});
    const std::filesystem::path cache_ = testing::TempDir() + "project.survey";
    Project project_;
};

TEST_F(Surveying, SaysWhatIsMissing) {
    for (const Where where : {Where::Kept, Where::Walk, Where::Path, Where::Area}) {
        const auto found = spots(where, "nowhere");
        ASSERT_FALSE(found) << static_cast<int>(where);
        EXPECT_EQ(found.error().code, ErrorCode::NotFound);
    }
}

TEST_F(Surveying, StandsWhereTheRequestSays) {
    project_.spots = {{"gate", {{1, 1.7, 2}, 0, 0}}, {"well", {{-5, 1.7, 2}, 0, 0}}};
    const auto kept = spots(Where::Kept);
    ASSERT_TRUE(kept);
    ASSERT_EQ(kept->size(), 2U);
    EXPECT_EQ((*kept)[1].name, "well");
    EXPECT_EQ((*kept)[1].eye, Vec3d(-5, 1.7, 2));
    project_.walk = {{{0, 1.7, 0}, 0, 0}, {{0, 1.7, -16}, 0, 0}};
    const auto walked = spots(Where::Walk);
    ASSERT_TRUE(walked);
    EXPECT_EQ(walked->size(), 3U) << "16 m, one for each 8";
    EXPECT_THAT(*walked, Each(Field(&SurveySpot::views, testing::IsEmpty()))) << "all around";
    const auto reached = spots(Where::Reach);
    ASSERT_TRUE(reached);
    EXPECT_GT(reached->size(), 30U) << "60 by 60 m of ground";
    const auto onGround = spots(Where::Area, scene_.nodes[0].name);
    ASSERT_TRUE(onGround);
    EXPECT_GT(onGround->size(), 30U);
}

TEST_F(Surveying, TheSameSpotsBeforeAndAfterMerging) {
    // Ground and sixty boxes in four heaps, which merging makes a few objects of.
    std::vector<test::Placed> boxes;
    for (int i = 0; i < 60; ++i)
        boxes.push_back({test::makeBox({2, 0.2F, 2}),
                         {20.0 * (i % 2) - 10 + 0.1 * (i / 4), 0.1, 20.0 * (i / 2 % 2) - 10}});
    const Scene source = test::groundWith(boxes, {});
    MergeSettings settings;
    settings.parcel = 1000;
    for (const Asset& asset : source.assets)
        settings.overrides[asset.mesh->name] = MergeChoice::Merge;
    const Scene merged =
        applyMerge(source, settings, project_.target, {}, noProgress()).value().scene;
    ASSERT_LT(merged.objects.size(), 10U);
    const auto eyesOn = [&](const Scene& scene) {
        std::unique_ptr<RayScene> rays;
        std::vector<Vec3d> eyes;
        const auto spots = spotsFor(project_, source, scene, rays, noProgress()).value();
        for (const SurveySpot& spot : spots) eyes.push_back(spot.eye);
        return eyes;
    };
    const auto expectSame = [&] {
        const std::vector<Vec3d> before = eyesOn(source);
        const std::vector<Vec3d> after = eyesOn(merged);
        ASSERT_FALSE(before.empty());
        ASSERT_EQ(before.size(), after.size());
        for (std::size_t i = 0; i < before.size(); ++i)
            EXPECT_LT((before[i] - after[i]).norm(), 1e-4) << before[i].transpose();
    };
    expectSame();
    project_.survey.where = Where::Area;
    project_.survey.node = "ground node";  // a part of a larger object now; not the boxes on it
    expectSame();
}

TEST_F(Surveying, TheSameIsReadFromTheCacheAndAnotherIsTaken) {
    project_.spots = {{"gate", {{1, 1.7, 2}, 0, 0}}};
    project_.survey.where = Where::Kept;
    const auto first = survey();
    ASSERT_TRUE(first);
    ASSERT_TRUE(first->complete);
    ASSERT_TRUE(first->lights);
    std::atomic<std::size_t> taken = 0;
    const OnSpot count = [&](std::size_t, const SpotResult&) { ++taken; };
    const auto again = surveyFor(project_, scene_, scene_, cache_, noProgress(), count);
    ASSERT_TRUE(again);
    EXPECT_EQ(taken, 0U);
    EXPECT_EQ(again->spots.size(), 1U);
    ASSERT_TRUE(again->lights);
    project_.spots[0].view.eye.x() += 1e-7;
    (void)surveyFor(project_, scene_, scene_, cache_, noProgress(), count);
    EXPECT_EQ(taken, 1U) << "another place";
}

/// Lights come last: a survey that was stopped there would be told whole without them.
TEST_F(Surveying, WhatWasStoppedIsNotKept) {
    project_.survey.where = Where::Reach;
    test::RecordingProgress never;
    ASSERT_TRUE(survey(never));
    ASSERT_TRUE(std::filesystem::exists(cache_));
    std::filesystem::remove(cache_);
    for (const int asks : {0, never.asked() / 2, never.asked() - 30, never.asked() - 2}) {
        test::RecordingProgress stop(asks);
        const auto stopped = survey(stop);
        if (stopped)
            EXPECT_FALSE(stopped->complete) << asks;
        else
            EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
        EXPECT_FALSE(std::filesystem::exists(cache_)) << asks;
    }
}

}  // namespace
}  // namespace flentro
