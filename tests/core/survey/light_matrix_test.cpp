// What lights add to what is seen.

#include "survey/light_matrix.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "io/gltf_materials.h"
#include "support/lights.h"
#include "survey/survey_file.h"

namespace flentro {
namespace {

using test::Lamp;

constexpr float kEndless = std::numeric_limits<float>::infinity();

TEST(Lighting, FallsWithTheSquareOfTheDistanceUpToTheRange) {
    EXPECT_DOUBLE_EQ(attenuation(2, std::numeric_limits<double>::infinity()), 0.25);
    EXPECT_DOUBLE_EQ(attenuation(5, 10), (1 - 1.0 / 16) / 25);
    EXPECT_EQ(attenuation(10, 10), 0);
    EXPECT_EQ(attenuation(11, 10), 0);
    EXPECT_TRUE(std::isfinite(attenuation(0, 10)));
}

TEST(Lighting, AddsLuxByDistanceAndSlant) {
    Scene scene = test::groundWith({}, {{{0, 2, 0}, 100, kEndless}});
    const Emitter lamp = emittersOf(scene).front();
    EXPECT_NEAR(lamp.lux({0, 0, 0}, {0, 1, 0}), 25, 1e-6);
    // 2 m to the side: 8 square metres away, 45 degrees.
    EXPECT_NEAR(lamp.lux({2, 0, 0}, {0, 1, 0}), 100 / 8.0 * std::sqrt(0.5), 1e-6);
    EXPECT_EQ(lamp.lux({0, 0, 0}, {0, -1, 0}), 0) << "it faces away";
    scene.lights[0].color = {0, 1, 0};
    EXPECT_NEAR(emittersOf(scene).front().lux({0, 0, 0}, {0, 1, 0}), 25 * 0.7152, 1e-4);
}

TEST(Lighting, OddIntensitiesStayNumbers) {
    Scene scene = test::groundWith({}, {{{0, 2, 0}, 100, kEndless}});
    for (const float intensity :
         {std::numeric_limits<float>::infinity(), std::numeric_limits<float>::quiet_NaN(), -5.0F}) {
        scene.lights[0].intensity = intensity;
        EXPECT_TRUE(std::isfinite(emittersOf(scene).front().lux({0, 0, 0}, {0, 1, 0})));
    }
    scene.lights[0].range = scene.placedLights[0].range = 0;
    EXPECT_EQ(emittersOf(scene).front().lux({0, 0, 0}, {0, 1, 0}), 0);
}

TEST(Lighting, SpotsShineIntoTheirConeOnly) {
    Scene scene = test::groundWith({}, {{{0, 2, 0}, 100, kEndless}});
    scene.lights[0].type = LightType::Spot;
    scene.lights[0].rest["spot"] = {{"innerConeAngle", 0.2}, {"outerConeAngle", 0.6}};
    // Turned to shine down: -Z goes to -Y.
    Node& node = scene.nodes.back();
    node.local.block<3, 1>(0, 2) = Vec3d(0, 1, 0);
    node.local.block<3, 1>(0, 1) = Vec3d(0, 0, -1);
    flatten(scene);
    const Emitter spot = emittersOf(scene).front();
    EXPECT_NEAR(spot.lux({0, 0, 0}, {0, 1, 0}), 25, 1e-6);
    EXPECT_EQ(spot.lux({4, 0, 0}, {0, 1, 0}), 0) << "63 degrees off its axis";
    const double cosine = std::cos(0.4);
    const double share = (cosine - std::cos(0.6)) / (std::cos(0.2) - std::cos(0.6));
    const double aside = 2 * std::tan(0.4);
    EXPECT_NEAR(spot.lux({aside, 0, 0}, {0, 1, 0}),
                100 * share * share / (4 + aside * aside) * cosine, 1e-6);
}

/// The entries of one light, over all points.
std::vector<LightMatrix::Entry> entriesOf(const LightMatrix& matrix, std::uint32_t light) {
    std::vector<LightMatrix::Entry> found;
    for (const LightMatrix::Entry& entry : matrix.entries())
        if (entry.light == light) found.push_back(entry);
    return found;
}

std::size_t blocked(const std::vector<LightMatrix::Entry>& entries) {
    return static_cast<std::size_t>(
        std::count_if(entries.begin(), entries.end(), [](const auto& e) { return e.isBlocked; }));
}

TEST(LightMatrix, KnowsWhatAWallKeepsOff) {
    // The wall stands between the second lamp and all that the eye sees.
    const Scene scene =
        test::groundWith({{test::makeBox({40, 12, 0.2F}), {0, 0, 6}}},
                         {{{0, 3, -5}, 100, kEndless}, {{0, 3, 12}, 100, kEndless}});
    const Survey survey = test::litSurvey(scene, {{0, 1.7, 0}});
    ASSERT_TRUE(survey.lights);
    const LightMatrix& matrix = *survey.lights;
    EXPECT_EQ(matrix.rows().size(), 2U);
    EXPECT_GT(matrix.points().size(), 60U);
    const auto before = entriesOf(matrix, 0);
    const auto behind = entriesOf(matrix, 1);
    ASSERT_GT(before.size(), 20U);
    ASSERT_GT(behind.size(), 10U);
    EXPECT_EQ(blocked(before), 0U);
    EXPECT_EQ(blocked(behind), behind.size());
    for (const LightMatrix::Point& point : matrix.points())
        EXPECT_NEAR(point.at.y(), 0, 12) << "points lie on what is seen";
}

TEST(LightMatrix, LightPassesGlassAndWhatCastsNoShadow) {
    Scene scene = test::groundWith({{test::makeBox({40, 12, 0.2F}), {0, 0, 6}}},
                                   {{{0, 3, 12}, 100, kEndless}});
    const auto blockedShare = [&] {
        const Survey survey = test::litSurvey(scene, {{0, 1.7, 0}});
        return blocked(entriesOf(*survey.lights, 0));
    };
    EXPECT_GT(blockedShare(), 0U);
    scene.objects[1].castsShadow = false;
    EXPECT_EQ(blockedShare(), 0U);
    scene.objects[1].castsShadow = true;
    scene.materials = {parseMaterial(
        {{"alphaMode", "BLEND"}, {"pbrMetallicRoughness", {{"baseColorFactor", {1, 1, 1, 0.3}}}}})};
    Mesh glass = *scene.assets[1].mesh;
    glass.parts[0].material = 0;
    scene.assets[1].mesh = finishMesh(glass);
    EXPECT_EQ(blockedShare(), 0U);
}

TEST(LightMatrix, IsTheSameForAnyOrderOfWork) {
    const Scene scene =
        test::groundWith({{test::makeBox({1, 2, 1}), {2, 1, 2}}}, {{{0, 3, -5}}, {{4, 3, 2}}});
    const auto a = test::litSurvey(scene, {{0, 1.7, 0}, {5, 1.7, 5}, {-5, 1.7, 5}}).lights;
    const auto b = test::litSurvey(scene, {{0, 1.7, 0}, {5, 1.7, 5}, {-5, 1.7, 5}}).lights;
    ASSERT_EQ(a->points().size(), b->points().size());
    ASSERT_EQ(a->entries().size(), b->entries().size());
    for (std::size_t i = 0; i < a->entries().size(); ++i)
        EXPECT_EQ(a->entries()[i].lux, b->entries()[i].lux);
    EXPECT_EQ(a->firstPoint(0), 0U);
    EXPECT_EQ(a->firstPoint(3), a->points().size());
}

TEST(LightMatrix, UnlitSurfacesOweNothingToLights) {
    Scene scene = test::groundWith({}, {{{0, 3, -5}}});
    scene.materials = {parseMaterial({{"extensions", {{"KHR_materials_unlit", Json::object()}}}})};
    Mesh ground = *scene.assets[0].mesh;
    ground.parts[0].material = 0;
    scene.assets[0].mesh = finishMesh(ground);
    EXPECT_TRUE(test::litSurvey(scene, {{0, 1.7, 0}}).lights->entries().empty());
}

TEST(LightMatrix, IsKeptWithTheSurvey) {
    const Scene scene = test::groundWith({{test::makeBox({1, 2, 1}), {2, 1, 2}}}, {{{0, 3, -5}}});
    const Survey survey = test::litSurvey(scene, {{0, 1.7, 0}, {5, 1.7, 5}});
    const auto path = std::filesystem::path(testing::TempDir()) / "lights.survey";
    const Hash key = surveyKey(scene, survey.target, survey.settings, "");
    ASSERT_TRUE(saveSurvey(survey, key, path));
    const auto loaded = loadSurvey(path, key, scene, survey.target);
    ASSERT_TRUE(loaded && loaded->lights);
    EXPECT_EQ(loaded->lights->points().size(), survey.lights->points().size());
    EXPECT_EQ(loaded->lights->entries().size(), survey.lights->entries().size());
    EXPECT_EQ(loaded->lights->adaptation(1), survey.lights->adaptation(1));
}

TEST(LightingChange, IsNoneForTheSameSceneAndWhatALightAddsWithoutIt) {
    Scene scene = test::groundWith({}, {{{0, 3, -5}}});
    const Survey survey = test::litSurvey(scene, {{0, 1.7, 0}});
    EXPECT_EQ(lightingChange(*survey.lights, scene, scene).worst, 0);
    Scene dark = scene;
    dark.placedLights.clear();
    const LightingChange change = lightingChange(*survey.lights, scene, dark);
    // On paper: the mean of what each ray's point shows.
    const LightMatrix& matrix = *survey.lights;
    double sum = 0;
    for (std::size_t p = 0; p < matrix.points().size(); ++p)
        for (const LightMatrix::Entry& entry : matrix.entriesOf(p))
            if (!entry.isBlocked)
                sum += displayOf(static_cast<double>(entry.lux), matrix.adaptation(0));
    const double rays = 8.0 * matrix.raysOfView();
    EXPECT_NEAR(change.mean, sum / rays, 1e-6);
    EXPECT_GT(change.worst, change.mean);
    Scene shorter = scene;
    shorter.placedLights[0].range = 5;
    EXPECT_LT(lightingChange(*survey.lights, scene, shorter).mean, change.mean);
}

}  // namespace
}  // namespace flentro
