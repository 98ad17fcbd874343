// Views drawn by rays, and how differently two of them look.

#include "picture/picture_error.h"
#include "base/index.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "picture/scene_painter.h"
#include "picture/shown_levels.h"
#include "report/changed_views.h"
#include "report/picture_change.h"
#include "support/lights.h"
#include "support/pictures.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::addMaterial;
using test::addPicture;

DisplayPicture picture(const std::function<Vec3f(int, int)>& pixel, int edge = 64) {
    DisplayPicture result{edge, edge, {}};
    for (int y = 0; y < edge; ++y)
        for (int x = 0; x < edge; ++x) result.pixels.push_back(pixel(x, y));
    return result;
}

DisplayPicture plain(float value) {
    return picture([=](int, int) { return Vec3f(Vec3f::Constant(value)); });
}

TEST(PictureError, IsNoneForEqualPictures) {
    const DisplayPicture a = picture(
        [](int x, int y) { return Vec3f((x % 7) / 7.0F, (y % 5) / 5.0F, (x + y) % 3 / 3.0F); });
    const PictureError error = pictureError(a, a, 40);
    EXPECT_NEAR(error.similarity, 1, 1e-6);
    EXPECT_EQ(error.flip, 0);
    EXPECT_EQ(error.worstFlip, 0);
}

TEST(PictureError, SimilarityOfPlainPicturesIsThatOfTheirMeans) {
    // (2 a b + C1) / (a^2 + b^2 + C1) with C1 = 0.0001
    const double expected = (2 * 0.5 * 0.25 + 1e-4) / (0.25 + 0.0625 + 1e-4);
    EXPECT_NEAR(pictureError(plain(0.5F), plain(0.25F), 40).similarity, expected, 1e-4);
}

TEST(PictureError, IsLargestFromBlackToWhiteAndGrowsWithTheDifference) {
    EXPECT_GT(pictureError(plain(0), plain(1), 40).flip, 0.9);
    double last = 0;
    for (const float by : {0.02F, 0.05F, 0.1F, 0.2F}) {
        const PictureError there = pictureError(plain(0.4F), plain(0.4F + by), 40);
        EXPECT_GT(there.flip, last);
        EXPECT_NEAR(there.flip, pictureError(plain(0.4F + by), plain(0.4F), 40).flip, 1e-6)
            << "either way";
        last = there.flip;
    }
}

TEST(PictureError, WhatTheEyeDoesNotResolveHardlyCounts) {
    // Checks of one pixel against the grey that they make: of half the light.
    const auto checks =
        picture([](int x, int y) { return Vec3f(Vec3f::Constant((x + y) % 2 ? 1.0F : 0.0F)); });
    const DisplayPicture grey = plain(toDisplay(0.5F));
    const double fine = pictureError(checks, grey, 150).flip;
    const double coarse = pictureError(checks, grey, 15).flip;
    EXPECT_LT(fine, 0.5 * coarse);
}

TEST(PictureError, FindsTheWorstRegion) {
    const auto spoiled = picture([](int x, int y) {
        const bool inside = x >= 48 && x < 56 && y >= 16 && y < 24;
        return Vec3f(Vec3f::Constant(inside ? 0.9F : 0.3F));
    });
    const PictureError error = pictureError(plain(0.3F), spoiled, 40);
    EXPECT_EQ(error.worstColumn, 52);
    EXPECT_EQ(error.worstRow, 20);
    EXPECT_GT(error.worstFlip, 8 * error.flip);
}

// --- painter ------------------------------------------------------------------------------

constexpr float kEndless = std::numeric_limits<float>::infinity();

Vec3f middleOf(const LightPicture& picture) {
    return elementOf(picture.pixels, picture.height / 2 * picture.width + picture.width / 2);
}

LightPicture painted(const Scene& scene, const Viewpoint& view) {
    const RayScene rays(scene);
    return ScenePainter(scene, rays).paint(view, test::surveyDisplay(), 0.05);
}

const Viewpoint kDown{{0, 2, 0}, 0, -89.9};

TEST(ScenePainter, LightsALambertianFloorByTheInverseSquare) {
    Scene scene = test::groundWith({}, {{{0, 4, 0}, 100, kEndless, false}});
    test::setMaterial(
        scene, 0,
        addMaterial(scene, {{"pbrMetallicRoughness",
                             {{"baseColorFactor", {0.5, 0.5, 0.5, 1}}, {"metallicFactor", 0}}}}));
    // 100 cd / 16 = 6.25 lux; half of it goes back, over pi; some of it as a faint highlight.
    const float diffuse = 0.5F * 6.25F / static_cast<float>(kPi);
    const Vec3f shown = middleOf(painted(scene, kDown));
    EXPECT_GT(shown.x(), 0.97F * diffuse);
    EXPECT_LT(shown.x(), 1.1F * diffuse);
    scene.placedLights[0].end = 1;
    EXPECT_EQ(middleOf(painted(scene, kDown)).x(), 0) << "out from this distance";
}

TEST(ScenePainter, ManyLightsAddUpHoweverManyTheyAre) {
    // 200 lamps of 1 cd in one place are one of 200 cd; shorter ones behind them take nothing away.
    const std::vector<test::Lamp> many(200, {{0, 4, 0}, 1, kEndless, false});
    const float one =
        middleOf(painted(test::groundWith({}, {{{0, 4, 0}, 200, kEndless, false}}), kDown)).x();
    EXPECT_NEAR(middleOf(painted(test::groundWith({}, many), kDown)).x(), one, 0.01F * one);
    std::vector<test::Lamp> weak(100, {{0, 4, 0}, 0.001, kEndless, false});
    weak.push_back({{0, 4, 0}, 200, kEndless, false});
    EXPECT_NEAR(middleOf(painted(test::groundWith({}, weak), kDown)).x(), one, 0.01F * one)
        << "the strong one comes last in the file";
}

TEST(ScenePainter, ShadowsAreDarkOnlyWhereALightCastsThem) {
    Scene scene = test::groundWith({{test::makeBox({2, 0.2F, 2}), {0, 3, 0}}},
                                   {{{0, 5, 0}, 100, kEndless, true}});
    const float dark = middleOf(painted(scene, kDown)).x();
    scene.placedLights[0].castsShadow = false;
    const float lit = middleOf(painted(scene, kDown)).x();
    EXPECT_GT(lit, 5 * dark);
    scene.placedLights[0].castsShadow = true;
    scene.placedLights[0].shadowEnd = 2;
    EXPECT_EQ(middleOf(painted(scene, kDown)).x(), lit) << "too far away for a shadow";
}

TEST(ScenePainter, UnlitShowsItsColourAndGlassBlends) {
    Scene scene = test::groundWith({{test::makeBox({4, 0.2F, 4}), {0, 1, 0}}}, {});
    const Json unlit = {{"KHR_materials_unlit", Json::object()}};
    test::setMaterial(
        scene, 0,
        addMaterial(scene, {{"extensions", unlit},
                            {"pbrMetallicRoughness", {{"baseColorFactor", {0.2, 0.4, 0.6, 1}}}}}));
    test::setMaterial(
        scene, 1,
        addMaterial(scene, {{"alphaMode", "BLEND"},
                            {"extensions", unlit},
                            {"pbrMetallicRoughness", {{"baseColorFactor", {1, 0, 0, 0.25}}}}}));
    const Vec3f shown = middleOf(painted(scene, kDown));
    EXPECT_NEAR(shown.x(), 0.25 + 0.75 * 0.2, 1e-4);
    EXPECT_NEAR(shown.y(), 0.75 * 0.4, 1e-4);
}

TEST(ScenePainter, TexturesAreReadThroughTheirMipMaps) {
    Scene scene = test::groundWith({}, {});
    const auto checks = [](int x, int y) -> std::array<int, 4> {
        const int value = (x + y) % 2 * 255;
        return {value, value, value, 255};
    };
    const int texture = addPicture(scene, test::makePicture(512, 512, checks, 3));
    test::setMaterial(scene, 0,
                      addMaterial(scene, {{"extensions", {{"KHR_materials_unlit", Json::object()}}},
                                          {"pbrMetallicRoughness",
                                           {{"baseColorTexture", {{"index", texture}}}}}}));
    // From 40 m a pixel of this small picture covers many squares: grey, neither black nor white.
    const Vec3f shown = middleOf(painted(scene, {{0, 40, 0}, 0, -89.9}));
    EXPECT_GT(shown.x(), 0.1F);
    EXPECT_LT(shown.x(), 0.6F);
}

TEST(PictureChanges, TellWhichStepChangesWhatPlayersSee) {
    Scene scene = test::groundWith({{test::makeBox({1, 2, 1}), {0, 1, -6}}}, {{{0, 3, -4}}});
    const Survey survey = test::litSurvey(scene, {{0, 1.7, 0}, {3, 1.7, 0}});
    Evaluation evaluation;
    evaluation.source = std::make_shared<const Scene>(scene);
    Scene dark = scene;
    dark.placedLights.clear();
    evaluation.steps.push_back({1, std::make_shared<const Fixed>(Fixed{scene, {}})});
    evaluation.steps.push_back({2, std::make_shared<const Fixed>(Fixed{dark, {}})});
    PictureChangeSettings settings;
    settings.views = 2;
    settings.share = 0.05;
    settings.folder = testing::TempDir();
    const auto changes = pictureChanges(evaluation, test::surveyDisplay(),
                                        evidenceOf(survey, scene), settings, noProgress());
    ASSERT_TRUE(changes);
    ASSERT_EQ(changes->size(), 2U);
    EXPECT_EQ((*changes)[0].meanFlip, 0);
    EXPECT_EQ((*changes)[0].leastSimilarity, 1);
    EXPECT_GT((*changes)[1].meanFlip, 0.05);
    EXPECT_GE((*changes)[1].worstRegion, (*changes)[1].worstFlip);
    EXPECT_LT((*changes)[1].leastSimilarity, 0.99);
    ASSERT_EQ((*changes)[1].pictures.size(), 2U);
    EXPECT_TRUE(std::filesystem::exists((*changes)[1].pictures[1]));
    const auto none = pictureChanges(evaluation, test::surveyDisplay(), {}, settings, noProgress());
    EXPECT_TRUE(none->empty()) << "nothing is said without a survey";
    for (const int asks : {0, 3}) {
        test::RecordingProgress stop(asks);
        const auto stopped = pictureChanges(evaluation, test::surveyDisplay(),
                                            evidenceOf(survey, scene), settings, stop);
        ASSERT_FALSE(stopped);
        EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
    }
}

/// A box whose second level is half as high, shown beyond 4 m.
TEST(PictureChanges, ShowTheLevelsOfPlay) {
    Scene scene = test::groundWith({{test::makeBox({1, 2, 1}), {0, 1, -6}}}, {{{0, 3, -4}}});
    const Survey survey = test::litSurvey(scene, {{0, 1.7, 0}, {0, 1.7, -3}});
    Scene levels = scene;
    Asset& box = levels.assets[static_cast<std::size_t>(levels.objects[1].asset)];
    box.ladder.levels.push_back(
        {.mesh = finishMesh(test::makeBox({1, 1, 1})), .switchDistance = 4});
    const Scene far = shownFrom(levels, test::surveyDisplay(), {{0, 1.7, 0}, 0, 0});
    ASSERT_EQ(far.objects.size(), levels.objects.size());
    EXPECT_EQ(far.asset(far.objects[1]).mesh, box.ladder.levels[0].mesh);
    EXPECT_EQ(far.asset(far.objects[0]).mesh, levels.asset(levels.objects[0]).mesh);
    EXPECT_FALSE(hasLevels(far));
    const Scene near = shownFrom(levels, test::surveyDisplay(), {{0, 1.7, -3}, 0, 0});
    EXPECT_EQ(near.asset(near.objects[1]).mesh, box.mesh);

    Evaluation evaluation;
    evaluation.source = std::make_shared<const Scene>(scene);
    evaluation.steps.push_back({1, std::make_shared<const Fixed>(Fixed{levels, {}})});
    PictureChangeSettings settings;
    settings.views = 2;
    settings.share = 0.05;
    const auto changes = pictureChanges(evaluation, test::surveyDisplay(),
                                        evidenceOf(survey, scene), settings, noProgress());
    ASSERT_TRUE(changes);
    EXPECT_GT((*changes)[0].worstFlip, 0) << "from afar";
    EXPECT_EQ((*changes)[0].worst.eye, Vec3d(0, 1.7, 0));
}

TEST(PictureChanges, AreLookedForWhereTheFixChangesMost) {
    // Many places see the ground; one stands before the box that is repainted.
    Scene scene = test::groundWith({{test::makeBox({1, 2, 1}), {20, 1, 20}}}, {{{0, 3, 0}}});
    const Survey survey = test::litSurvey(
        scene, {{-20, 1.7, -20}, {-10, 1.7, -20}, {0, 1.7, -20}, {20, 1.7, 14}, {-20, 1.7, 0}});
    Scene painted = scene;
    test::setMaterial(
        painted, 1,
        addMaterial(painted, {{"pbrMetallicRoughness", {{"baseColorFactor", {1, 0, 0, 1}}}}}));
    Evaluation evaluation;
    evaluation.source = std::make_shared<const Scene>(scene);
    evaluation.steps.push_back({1, std::make_shared<const Fixed>(Fixed{painted, {}})});
    const auto views =
        changedViews(evaluation, test::surveyDisplay(), evidenceOf(survey, scene), 1);
    ASSERT_EQ(views.size(), 1U);
    EXPECT_EQ(views[0].eye, Vec3d(20, 1.7, 14));
    EXPECT_NEAR(views[0].heading, 180, 46) << "the box is south of there";
    // A step that changes nothing: views are spread over the places.
    evaluation.steps[0].result = std::make_shared<const Fixed>(Fixed{scene, {}});
    EXPECT_EQ(changedViews(evaluation, test::surveyDisplay(), evidenceOf(survey, scene), 3).size(),
              3U);
}

TEST(ScenePainter, AThingWithoutLightsIsLitFromTheEye) {
    // Seen from below and from above: neither side is dark, and what faces the eye is brightest.
    Scene scene = test::makeScene({{test::makeBox({2, 2, 2}), {0, 0, 0}}});
    const float below = middleOf(painted(scene, {{0, -6, 0}, 0, 89.9})).x();
    const float above = middleOf(painted(scene, {{0, 6, 0}, 0, -89.9})).x();
    EXPECT_GT(below, 0.2F);
    EXPECT_GT(above, below) << "the sky adds to it";
    EXPECT_LT(above, 2 * below);
}

/// Grey of a fifth is shown as such, whether it fills the picture or a spot of a black one.
TEST(Adaptation, IsToWhatGivesLight) {
    LightPicture full{10, 10, std::vector<Vec3f>(100, Vec3f::Constant(0.2F))};
    LightPicture spot{10, 10, std::vector<Vec3f>(100, Vec3f::Zero())};
    spot.pixels[55] = Vec3f::Constant(0.2F);
    EXPECT_NEAR(full.adaptation(), 0.2F, 1e-5F);
    EXPECT_NEAR(spot.adaptation(), 0.2F, 1e-5F);
    EXPECT_GT(LightPicture({2, 2, std::vector<Vec3f>(4, Vec3f::Zero())}).adaptation(), 0);
}

}  // namespace
}  // namespace flentro
