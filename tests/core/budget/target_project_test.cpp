#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "budget/target.h"
#include "fixes/culling/culling.h"
#include "fixes/tidy/tidy.h"
#include "project/project.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;

TEST(Target, SixClassesShipWithEveryLimit) {
    ASSERT_EQ(shippedTargets().size(), 6U);
    for (const Target& target : shippedTargets()) {
        EXPECT_FALSE(target.description.empty()) << target.name;
        EXPECT_GT(target.frameRate, 0);
        for (const Measure measure : kMeasures) {
            if (measure == Measure::ShadowLights) continue;
            EXPECT_GT(at(target.limits, measure), 0) << target.name << " " << measureName(measure);
        }
    }
    EXPECT_LT(at(shippedTargets().front().limits, Measure::Triangles),
              at(shippedTargets().back().limits, Measure::Triangles));
}

TEST(Target, NoneAllowedIsNotNoLimit) {
    const Target palm = *findTarget("Palm 30");
    EXPECT_EQ(at(palm.limits, Measure::ShadowLights), 0);
    EXPECT_TRUE(std::isinf(loadOf(1, 0))) << "any number is over";
    EXPECT_EQ(loadOf(0, 0), 0) << "none is within";
    EXPECT_EQ(stateOf(loadOf(1, 0)), State::Over);
    EXPECT_EQ(loadOf(1e9, kNoLimit), 0);
    Target target = palm;
    at(target.limits, Measure::Triangles) = kNoLimit;
    const Json json = toJson(target);
    EXPECT_TRUE(json["limits"]["triangles"].is_null());
    EXPECT_EQ(json["limits"]["shadowLights"], 0);
    EXPECT_EQ(parseTarget(json, "t")->limits, target.limits);
}

TEST(Target, InTheFirstVersionZeroWasNoLimit) {
    Json old = toJson(*findTarget("Palm 30"));
    old["version"] = 1;
    const Target target = parseTarget(old, "old").value();
    EXPECT_FALSE(isLimit(at(target.limits, Measure::ShadowLights)));
    EXPECT_EQ(at(target.limits, Measure::Lights), 4);
}

TEST(Target, UpToTheFourthVersionAFlagChoseTheBatching) {
    EXPECT_EQ(Target{}.batching, Batching::Node) << "as exported files guarantee";
    for (const Target& target : shippedTargets()) EXPECT_EQ(target.batching, Batching::Node);
    Json old = toJson(*findTarget("Palm 30"));
    old["version"] = 4;
    old["drawing"].erase("batching");
    EXPECT_EQ(parseTarget(old, "old")->batching, Batching::Mesh);
    old["drawing"]["instancing"] = true;
    EXPECT_EQ(parseTarget(old, "old")->batching, Batching::Mesh);
    old["drawing"]["instancing"] = false;
    const Target target = parseTarget(old, "old").value();
    EXPECT_EQ(target.batching, Batching::Nothing);
    const Json now = toJson(target);
    EXPECT_EQ(now["drawing"]["batching"], "nothing");
    EXPECT_FALSE(now["drawing"].contains("instancing"));
    for (const Batching batching : kBatchings) {
        Target one = target;
        one.batching = batching;
        EXPECT_EQ(parseTarget(toJson(one), "t")->batching, batching);
    }
}

TEST(Target, WidenedTakesInAllAndKeepsTheSizeOfAMetre) {
    const Target target = *findTarget("Desk 120");
    for (const double aspect : {0.7, 1.2, 2.6}) {
        const Target wide = widened(target, aspect);
        EXPECT_NEAR(pixelsPerMetreAtOne(wide), pixelsPerMetreAtOne(target),
                    0.002 * pixelsPerMetreAtOne(target));
        EXPECT_NEAR(wide.projection().aspect, aspect, 0.01);
        EXPECT_GE(wide.width, target.width - 2);
        EXPECT_GE(wide.height, target.height - 2);
    }
}

TEST(Target, RoundTripsAndKeepsUnknownMembers) {
    Target target = shippedTargets()[2];
    target.rest["house"] = {{"rule", "no fog"}};
    const Json json = toJson(target);
    const Target back = parseTarget(json, "t").value();
    EXPECT_EQ(toJson(back), json);
    EXPECT_EQ(back.rest["house"]["rule"], "no fog");
    EXPECT_EQ(back.eyes, 2);
    EXPECT_EQ(json["limits"]["textureMemory"], 160) << "MiB in the file";
    EXPECT_EQ(at(back.limits, Measure::TextureBytes), 160.0 * 1024 * 1024) << "bytes inside";
}

TEST(Target, IsFoundByNameWhateverTheCase) {
    EXPECT_EQ(findTarget("kiosk 60")->name, "Kiosk 60");
    const auto none = findTarget("Toaster 5");
    ASSERT_FALSE(none);
    EXPECT_EQ(none.error().code, ErrorCode::NotFound);
    EXPECT_THAT(none.error().hint, HasSubstr("targets"));
}

TEST(Target, IsReadFromAFile) {
    const test::TemporaryFolder folder;
    Json json = toJson(shippedTargets()[0]);
    json["name"] = "Ours";
    test::writeText(folder / "ours.target.json", json.dump());
    EXPECT_EQ(findTarget((folder / "ours.target.json").string())->name, "Ours");
}

TEST(Target, RefusesWhatIsWrongNamingTheMember) {
    const Json good = toJson(shippedTargets()[0]);
    const auto says = [&](const char* path, Json value) {
        Json json = good;
        json[Json::json_pointer(path)] = std::move(value);
        const auto target = parseTarget(json, "t.json");
        return target ? std::string("accepted") : describe(target.error());
    };
    EXPECT_THAT(says("/format", "x"), HasSubstr("'format'"));
    EXPECT_THAT(says("/version", 6), HasSubstr("version"));
    EXPECT_THAT(says("/drawing/batching", "all"), HasSubstr("'batching' must be nothing, node"));
    EXPECT_THAT(says("/drawing/batching", true), HasSubstr("'batching' must be nothing, node"));
    EXPECT_THAT(says("/display", 7), HasSubstr("'display' must be an object"));
    EXPECT_THAT(says("/limits", Json::array()), HasSubstr("'limits' must be an object"));
    EXPECT_THAT(says("/name", ""), HasSubstr("'name'"));
    EXPECT_THAT(says("/frameRate", 0), HasSubstr("'frameRate' must be a number from 1 to 1000"));
    EXPECT_THAT(says("/display/eyes", 3), HasSubstr("'eyes'"));
    EXPECT_THAT(says("/limits/triangles", "lots"), HasSubstr("'triangles'"));
    EXPECT_THAT(says("/drawing/nearPlane", 900), HasSubstr("'nearPlane' must be less"));
}

TEST(Target, PixelsFollowFromDisplayAndFieldOfView) {
    Target target;
    target.height = 1000;
    target.verticalFov = 90;
    EXPECT_NEAR(pixelsPerMetreAtOne(target), 500, 1e-9);
    EXPECT_NEAR(shippedTargets()[3].frameTime(), 16.667, 1e-3);
}

TEST(Target, MeasuresHaveNamesKeysAndHelp) {
    for (const Measure measure : kMeasures) {
        EXPECT_GT(std::string(measureName(measure)).size(), 3U);
        EXPECT_GT(std::string(measureHelp(measure)).size(), 20U);
    }
    EXPECT_EQ(formatMeasure(Measure::TextureBytes, 1024 * 1024), "1.00 MiB");
    EXPECT_THAT(formatMeasure(Measure::TextureEdge, 512), HasSubstr("px"));
}

Project sample(const std::filesystem::path& scene) {
    Project project;
    project.scene = scene;
    project.target = shippedTargets()[4];
    project.order.add(TidySettings{});
    project.order.add(CullingSettings{}).on = false;
    project.spots = {{"gate", {{1, 2, 3}, 45, -10}}};
    project.setAside = {"bollard"};
    project.view = {{4, 5, 6}, 90, 1};
    project.survey.where = SurveyRequest::Where::Path;
    project.survey.node = "towpath";
    project.survey.spacing = 3.5;
    project.survey.faceSize = 128;
    project.survey.camera.distances = {12, 20};
    project.survey.camera.pitches = {-60};
    project.survey.camera.lastHeading = 90;
    project.walk = {{{1, 2, 3}, 10, 0}, {{4, 2, 3}, 20, -5}};
    project.rest = {{"ours", true}};
    return project;
}

TEST(Project, RoundTripsWithItsSceneBesideIt) {
    const test::TemporaryFolder folder;
    const auto file = folder / "a.flentro.json";
    ASSERT_TRUE(saveProject(sample(folder / "scene.glb"), file));
    EXPECT_EQ(Json::parse(test::readText(file))["scene"], "scene.glb") << "relative";
    const Project back = loadProject(file).value();
    EXPECT_EQ(back.scene, folder / "scene.glb");
    EXPECT_EQ(back.target.name, "Console 60");
    ASSERT_EQ(back.order.fixes.size(), 2U);
    EXPECT_FALSE(back.order.fixes[1].on);
    ASSERT_EQ(back.spots.size(), 1U);
    EXPECT_EQ(back.spots[0].name, "gate");
    EXPECT_DOUBLE_EQ(back.spots[0].view.pitch, -10);
    EXPECT_TRUE(back.setAside.contains("bollard"));
    EXPECT_TRUE(back.view.eye.isApprox(Vec3d(4, 5, 6)));
    EXPECT_EQ(back.rest["ours"], true) << "unknown members are kept";
    EXPECT_EQ(back.survey.where, SurveyRequest::Where::Path);
    EXPECT_EQ(back.survey.node, "towpath");
    EXPECT_DOUBLE_EQ(back.survey.spacing, 3.5);
    EXPECT_EQ(back.survey.faceSize, 128);
    EXPECT_EQ(back.survey.camera.distances, (std::vector<double>{12, 20}));
    EXPECT_EQ(back.survey.camera.pitches, std::vector<double>{-60});
    EXPECT_EQ(back.survey.camera.lastHeading, 90);
    ASSERT_EQ(back.walk.size(), 2U);
    EXPECT_DOUBLE_EQ(back.walk[1].pitch, -5);
}

TEST(Project, SavingTwiceGivesTheSameBytes) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(saveProject(sample(folder / "s.glb"), folder / "a.json"));
    ASSERT_TRUE(saveProject(*loadProject(folder / "a.json"), folder / "b.json"));
    EXPECT_EQ(test::readText(folder / "a.json"), test::readText(folder / "b.json"));
}

TEST(Project, RefusesWhatIsNoProject) {
    const test::TemporaryFolder folder;
    const auto says = [&](const std::string& text) {
        test::writeText(folder / "p.flentro.json", text);
        const auto project = loadProject(folder / "p.flentro.json");
        return project ? std::string("accepted") : describe(project.error());
    };
    EXPECT_THAT(says("{"), HasSubstr("p.flentro.json: is not valid JSON at line 1, column 2"));
    EXPECT_THAT(says("{}"), HasSubstr("is not a Flentro project"));
    EXPECT_THAT(says(R"({"format":"flentro-project","version":7})"), HasSubstr("newer version"));
    EXPECT_THAT(says(R"({"format":"flentro-project","version":1})"), HasSubstr("target"));
    EXPECT_FALSE(loadProject(folder / "gone.flentro.json"));
}

TEST(Project, KeepsHowTheSceneIsRead) {
    const test::TemporaryFolder folder;
    Project project;
    project.scene = folder / "engine.obj";
    project.import = {"mm", 'Z', 60, ShadowLights{true}, "blue"};
    ASSERT_TRUE(saveProject(project, folder / "p.flentro.json"));
    const auto again = loadProject(folder / "p.flentro.json");
    ASSERT_TRUE(again) << describe(again.error());
    EXPECT_EQ(again->import, project.import);
}

TEST(Project, WrongWaysOfReadingAreRefusedByName) {
    for (const Json& wrong :
         {Json{{"unit", "yard"}}, Json{{"up", "X"}}, Json{{"creaseAngle", 181}},
          Json{{"creaseAngle", "40"}}, Json{{"variant", ""}}, Json{{"scale", 2}}}) {
        const auto parsed = parseImportSettings(wrong);
        ASSERT_FALSE(parsed) << wrong;
        EXPECT_THAT(describe(parsed.error()), testing::HasSubstr("import." + wrong.begin().key()));
    }
}

}  // namespace
}  // namespace flentro
