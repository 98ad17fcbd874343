// The real program, as a shell runs it.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>
#include <set>

#include "fixes/tidy/tidy.h"
#include "fixes/work_order.h"
#include "io/gltf.h"
#include "ottermere.h"
#include "project/project.h"
#include "support/lights.h"
#include "support/meshes.h"
#include "support/pictures.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::Outcome;
using testing::HasSubstr;
using testing::Not;

class Cli : public testing::Test {
protected:
    Cli() {
        const Scene scene = test::makeScene(
            {{test::makeSphere(64, 32), {0, 0, -10}}, {test::makeBox({1, 1, 1}), {2, 0, -5}}});
        EXPECT_TRUE(writeGltf(scene, folder_ / "scene.glb", {}, noProgress()));
    }
    Outcome cli(const std::string& arguments) {
        return test::run("cd '" + folder_.path().string() + "' && '" + FLENTRO_BIN_DIR +
                         "/flentro-cli' " + arguments);
    }
    Json json(const std::string& name) { return Json::parse(test::readText(folder_ / name)); }

    test::TemporaryFolder folder_;
};

TEST_F(Cli, HelpShowsVerbsAndExamples) {
    const Outcome all = cli("--help");
    EXPECT_EQ(all.status, 0);
    for (const char* verb :
         {"inventory", "audit", "survey", "calibrate", "reduce", "fix", "targets"}) {
        EXPECT_THAT(all.output, HasSubstr(verb));
        const Outcome help = cli(std::string(verb) + " --help");
        EXPECT_EQ(help.status, 0);
        EXPECT_THAT(help.output, HasSubstr("Examples:"));
    }
    EXPECT_EQ(cli("--version").status, 0);
}

TEST_F(Cli, WrongUseIsBadInput) {
    EXPECT_EQ(cli("").status, 2);
    EXPECT_EQ(cli("polish scene.glb").status, 2);
    EXPECT_EQ(cli("audit").status, 2);
    EXPECT_EQ(cli("audit scene.glb --eye 1,2").status, 2);
}

TEST_F(Cli, TargetsAreListedAndExported) {
    const Outcome list = cli("targets");
    EXPECT_EQ(list.status, 0);
    EXPECT_THAT(list.output, HasSubstr("Kiosk 60"));
    EXPECT_THAT(list.output, HasSubstr("Draw calls"));
    EXPECT_EQ(cli("targets 'Palm 30' --json ours.target.json --quiet").status, 0);
    EXPECT_EQ(json("ours.target.json")["name"], "Palm 30");
    EXPECT_EQ(cli("audit scene.glb --target ours.target.json").status, 0);
}

TEST_F(Cli, InventoryCountsAndWritesJson) {
    const Outcome outcome = cli("inventory scene.glb --json inventory.json");
    EXPECT_EQ(outcome.status, 0);
    EXPECT_THAT(outcome.output, HasSubstr("2 objects of 2 assets"));
    EXPECT_THAT(outcome.output, HasSubstr("sphere"));
    EXPECT_EQ(json("inventory.json")["placedTriangles"], 64 * 32 * 2 + 12);
}

TEST_F(Cli, AuditExitsByTheVerdict) {
    EXPECT_EQ(cli("audit scene.glb").status, 0);
    Json strict = toJson(shippedTargets()[0]);
    strict["name"] = "Strict";
    strict["limits"]["triangles"] = 100;
    test::writeText(folder_ / "strict.target.json", strict.dump());
    const Outcome over =
        cli("audit scene.glb --target strict.target.json --eye=0,0,0 --heading 0 --json a.json");
    EXPECT_EQ(over.status, 1);
    EXPECT_THAT(over.output, HasSubstr("Over."));
    EXPECT_EQ(json("a.json")["measures"][0]["value"], 4108);
    EXPECT_EQ(json("a.json")["view"]["heading"], 0);
    EXPECT_EQ(cli("audit scene.glb --target strict.target.json --eye=0,0,0 --heading 180").status,
              0)
        << "nothing is behind";
}

TEST_F(Cli, BadInputIsNamedAndExitsWithTwo) {
    test::writeText(folder_ / "broken.glb", "glTF but not really");
    for (const char* arguments :
         {"audit broken.glb", "audit gone.glb", "inventory broken.glb",
          "fix broken.glb --out x.glb", "reduce broken.glb --ratio 0.5 --out x.glb",
          "audit scene.glb --target 'Toaster 5'"}) {
        const Outcome outcome = cli(arguments);
        EXPECT_EQ(outcome.status, 2) << arguments;
        EXPECT_THAT(outcome.output, HasSubstr("flentro-cli: ")) << arguments;
    }
    EXPECT_THAT(cli("audit broken.glb").output, HasSubstr("broken.glb"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "x.glb"));
}

TEST_F(Cli, QuietSaysNothing) {
    EXPECT_EQ(cli("audit scene.glb --quiet").output, "");
    EXPECT_EQ(cli("fix scene.glb --out x.glb --quiet").output, "");
    EXPECT_EQ(cli("reduce scene.glb --ratio 0.5 --out y.glb --quiet").output, "");
}

TEST_F(Cli, JsonOnStandardOutputIsNothingButJson) {
    const Outcome outcome = cli("audit scene.glb --json -");
    EXPECT_EQ(Json::parse(outcome.output)["format"], "flentro-audit");
}

TEST_F(Cli, ReduceByRatioCountAndDeviation) {
    EXPECT_EQ(cli("reduce scene.glb --ratio 0.25 --out r.glb --json r.json").status, 0);
    EXPECT_EQ(json("r.json")[0]["asset"], "sphere");
    EXPECT_LE(json("r.json")[0]["after"].get<int>(), 1024);
    EXPECT_EQ(test::validatorErrors(folder_ / "r.glb"), "");
    EXPECT_EQ(cli("reduce scene.glb --asset sphere --triangles 500 --out c.glb").status, 0);
    EXPECT_LE(readGltf(folder_ / "c.glb", noProgress())->assets[0].mesh->triangles, 500U);
    EXPECT_EQ(cli("reduce scene.glb --deviation 0.01 --out d.glb --json d.json").status, 0);
    EXPECT_LE(json("d.json")[0]["deviation"].get<double>(), 0.01);
    const Outcome vague = cli("reduce scene.glb --out e.glb");
    EXPECT_EQ(vague.status, 2);
    EXPECT_THAT(vague.output, HasSubstr("--triangles, --ratio or --deviation"));
}

/// A bumpy ball of 100 mm in a file that says millimetres by its size alone.
TEST_F(Cli, ReduceMeansMetresWhateverTheUnitOfTheFile) {
    const Mesh ball = test::makeSphere(80, 40, 50);
    const Part& part = ball.parts[0];
    std::string off = fmt::format("OFF\n{} {} 0\n", part.vertexCount(), part.triangleCount());
    for (const Vec3f& p : positionsOf(part)) off += fmt::format("{} {} {}\n", p.x(), p.y(), p.z());
    forEachTriangle(
        part, [&](const Corners& t) { off += fmt::format("3 {} {} {}\n", t[0], t[1], t[2]); });
    test::writeText(folder_ / "ball.off", off);
    ASSERT_EQ(
        cli("reduce ball.off --unit mm --deviation 0.0005 --out ball.glb --json b.json").status, 0);
    const Json row = json("b.json")[0];
    EXPECT_LT(row["after"].get<int>(), 1500);
    EXPECT_LE(row["deviation"].get<double>(), 0.0005);
    EXPECT_GT(row["deviation"].get<double>(), 0.0002);
    EXPECT_EQ(test::validatorErrors(folder_ / "ball.glb"), "");
}

TEST_F(Cli, FixWritesLevelsDistancesAndManifest) {
    const Outcome outcome = cli("fix scene.glb --out fixed.glb --json fix.json");
    EXPECT_EQ(outcome.status, 0) << outcome.output;
    EXPECT_THAT(outcome.output, HasSubstr("Ladder: "));
    EXPECT_EQ(test::validatorErrors(folder_ / "fixed.glb"), "");
    const Scene fixed = readGltf(folder_ / "fixed.glb", noProgress()).value();
    EXPECT_FALSE(fixed.assets[0].ladder.empty());
    EXPECT_TRUE(std::isfinite(fixed.objects[0].culling.end));
    EXPECT_EQ(json("fixed.manifest.json")["objects"].size(), 2U);
    EXPECT_EQ(json("fix.json")["steps"].size(), 4U);
}

TEST_F(Cli, FixFollowsAnOrder) {
    test::writeText(folder_ / "order.json",
                    R"({"format":"flentro-work-order","version":1,"fixes":[
                        {"fix":"ladder","on":false,"settings":{}},
                        {"fix":"culling","settings":{"overrides":{"box":7}}}]})");
    EXPECT_EQ(cli("fix scene.glb --order order.json --out fixed.glb").status, 0);
    const Scene fixed = readGltf(folder_ / "fixed.glb", noProgress()).value();
    EXPECT_TRUE(fixed.assets[0].ladder.empty());
    EXPECT_DOUBLE_EQ(fixed.objects[1].culling.end, 7);
    test::writeText(folder_ / "bad.json",
                    R"({"format":"flentro-work-order","version":1,"fixes":[{"fix":"polish"}]})");
    const Outcome bad = cli("fix scene.glb --order bad.json --out x.glb");
    EXPECT_EQ(bad.status, 2);
    EXPECT_THAT(bad.output, HasSubstr("bad.json: fix 1 (polish)"));
}

TEST_F(Cli, FixesAreListedWithTheirSettings) {
    const Outcome all = cli("fixes");
    EXPECT_EQ(all.status, 0);
    for (const FixKind* kind : fixKinds()) EXPECT_THAT(all.output, HasSubstr(kind->key + " "));
    const Outcome ladder = cli("fixes ladder");
    EXPECT_THAT(ladder.output, HasSubstr("a number from 0.05 to 0.9"));
    EXPECT_THAT(ladder.output, HasSubstr("overrides.*.switchDistances"));
    EXPECT_EQ(Json::parse(cli("fixes --schema").output), workOrderSchema());
    const Json merge = Json::parse(cli("fixes merge --json -").output);
    EXPECT_EQ(merge["merge"]["settings"]["parcel"]["maximum"], 1000);
    EXPECT_EQ(merge.size(), 1U);
    const Outcome unknown = cli("fixes glue");
    EXPECT_EQ(unknown.status, 2);
    EXPECT_THAT(unknown.output, HasSubstr("Known fixes: tidy, plain-materials, share"));
}

TEST_F(Cli, FixTakesTheOrderOfAProject) {
    Project project;
    project.scene = folder_ / "scene.glb";
    project.order.add(FixSettings(TidySettings{}));
    ASSERT_TRUE(saveProject(project, folder_ / "ours.flentro.json"));
    const Outcome fixed = cli("fix scene.glb --order ours.flentro.json --out tidied.glb");
    EXPECT_EQ(fixed.status, 0) << fixed.output;
    EXPECT_THAT(fixed.output, HasSubstr("Tidy: "));
    EXPECT_THAT(fixed.output, Not(HasSubstr("Ladder: ")));
}

TEST_F(Cli, NeverWritesOverTheSource) {
    const std::string before = test::readText(folder_ / "scene.glb");
    for (const char* verb : {"fix scene.glb", "reduce scene.glb --ratio 0.5"}) {
        const Outcome outcome = cli(std::string(verb) + " --out ./scene.glb");
        EXPECT_EQ(outcome.status, 2);
        EXPECT_THAT(outcome.output, HasSubstr("would write over what the scene reads"));
    }
    EXPECT_EQ(test::readText(folder_ / "scene.glb"), before);
}

TEST_F(Cli, NotesAboutTheSceneGoToStandardError) {
    test::writeText(folder_ / "t.obj", "mtllib gone.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
    const Outcome outcome = cli("inventory t.obj");
    EXPECT_EQ(outcome.status, 0) << outcome.output;
    EXPECT_THAT(outcome.output, HasSubstr("1 object of 1 asset"));
}

TEST_F(Cli, SameResultForAnyNumberOfThreads) {
    EXPECT_EQ(cli("fix scene.glb --out two.glb --quiet").status, 0);
    EXPECT_EQ(test::run("cd '" + folder_.path().string() + "' && taskset -c 0 '" + FLENTRO_BIN_DIR +
                        "/flentro-cli' fix scene.glb --out one.glb --quiet")
                  .status,
              0);
    EXPECT_EQ(test::readText(folder_ / "one.glb"), test::readText(folder_ / "two.glb"));
}

/// The whole story on the small demo: over, fixed, within, smaller.
TEST_F(Cli, InventoryListsLightsAndTheirShadowsAsChosen) {
    ASSERT_EQ(test::runOurs("flentro-demo", "--small '" + folder_.path().string() + "'").status, 0);
    const auto shadows = [&](const std::string& choice) {
        const Outcome outcome = cli("inventory ottermere.glb --quiet --json i.json " + choice);
        EXPECT_EQ(outcome.status, 0) << outcome.output;
        const Json inventory = json("i.json");
        std::size_t cast = 0;
        for (const Json& light : inventory["lightEntries"])
            cast += light["castsShadow"].get<bool>();
        EXPECT_EQ(inventory["lightEntries"].size(), 97U);
        EXPECT_EQ(inventory["shadowLights"], cast);
        return cast;
    };
    EXPECT_EQ(shadows(""), 22U);
    EXPECT_EQ(shadows("--shadow-lights none"), 0U);
    EXPECT_EQ(shadows("--shadow-lights all"), 97U);
    EXPECT_EQ(shadows("--shadow-lights 'lantern light 01,barge light'"), 2U);
    const Json inventory = json("i.json");
    const Json& materials = inventory["materialEntries"];
    const auto water = std::find_if(materials.begin(), materials.end(), [](const Json& material) {
        return material["name"] == "water";
    });
    ASSERT_NE(water, materials.end());
    EXPECT_EQ((*water)["objects"], 1);
    EXPECT_EQ((*water)["textures"], 2);
}

TEST_F(Cli, MarketIsBroughtWithinItsBudget) {
    ASSERT_EQ(test::runOurs("flentro-demo", "--small '" + folder_.path().string() + "'").status, 0);
    Json target = toJson(findTarget("Desk 120").value());
    target["name"] = "Small";
    target["limits"]["triangles"] = 600'000;
    test::writeText(folder_ / "small.target.json", target.dump());
    const std::string view = " --target small.target.json --eye=-9,1.7,-10.8 --heading 72 --quiet";
    EXPECT_EQ(cli("audit ottermere.glb" + view).status, 1);
    EXPECT_EQ(cli("fix ottermere.glb --target small.target.json --out lighter.glb --quiet").status,
              0);
    EXPECT_EQ(cli("audit lighter.glb" + view + " --json after.json").status, 0);
    EXPECT_EQ(test::validatorErrors(folder_ / "lighter.glb"), "");
}

/// All fixes one after the other, on a target that draws every object by itself.
TEST_F(Cli, EveryFixTogetherIsSoundAndTheSameForAnyNumberOfThreads) {
    ASSERT_EQ(test::runOurs("flentro-demo", "--small '" + folder_.path().string() + "'").status, 0);
    Json target = toJson(findTarget("Desk 120").value());
    target["drawing"]["batching"] = "nothing";
    test::writeText(folder_ / "plain.target.json", target.dump());
    Json order = {{"format", "flentro-work-order"}, {"version", 1}};
    for (const FixKind* kind : fixKinds()) order["fixes"].push_back({{"fix", kind->key}});
    test::writeText(folder_ / "all.json", order.dump());
    const std::string fix =
        " fix ottermere.glb --order all.json --target plain.target.json --quiet";
    const Outcome two = cli(fix + " --out two.glb --json two.json");
    ASSERT_EQ(two.status, 0) << two.output;
    EXPECT_EQ(test::run("cd '" + folder_.path().string() + "' && taskset -c 0 '" + FLENTRO_BIN_DIR +
                        "/flentro-cli'" + fix + " --out one.glb")
                  .status,
              0);
    EXPECT_EQ(test::readText(folder_ / "one.glb"), test::readText(folder_ / "two.glb"));
    EXPECT_EQ(test::validatorErrors(folder_ / "two.glb"), "");
    const Json steps = json("two.json")["steps"];
    ASSERT_EQ(steps.size(), fixKinds().size());
    const auto step = [&](const char* key) {
        return *std::find_if(steps.begin(), steps.end(),
                             [&](const Json& s) { return s["fix"] == key; });
    };
    const Json share = step("share");
    EXPECT_LT(share["after"]["meshes"], share["before"]["meshes"]);
    EXPECT_EQ(share["after"]["triangles"], share["before"]["triangles"]);
    const Json merge = step("merge");
    EXPECT_LT(merge["after"]["calls"], merge["before"]["calls"]);
    EXPECT_EQ(merge["after"]["triangles"], merge["before"]["triangles"])
        << "as placed; only views draw more";
    EXPECT_FALSE(merge["merge"]["parcels"].empty());
    EXPECT_TRUE(merge["merge"]["estimated"]);
}

/// A floor of 30 m with a wall across; a sphere on either side.
class CliSurvey : public Cli {
protected:
    CliSurvey() {
        const Scene scene =
            test::makeScene({{test::named(test::makeGrid(6, 6, 30), "floor"), {-15, 0, -15}},
                             {test::named(test::makeBox({30, 6, 0.4F}), "wall"), {0, 3, 0}},
                             {test::makeSphere(64, 32), {0, 1, -8}},
                             {test::named(test::makeSphere(32, 16), "small sphere"), {0, 1, 8}}});
        EXPECT_TRUE(writeGltf(scene, folder_ / "rooms.glb", {}, noProgress()));
    }
};

TEST_F(CliSurvey, WalksFromEveryStartThatIsNamed) {
    const Scene scene = test::makeScene(
        {{test::makeGrid(4, 4, 16), {0, 0, 0}}, {test::makeGrid(4, 4, 16), {100, 0, 0}}});
    ASSERT_TRUE(writeGltf(scene, folder_ / "islands.glb", {}, noProgress()));
    const auto islands = [&](const std::string& starts) {
        EXPECT_EQ(cli("survey islands.glb --drawn-only --json i.json" + starts).status, 0);
        const Json survey = json("i.json");
        std::set<bool> found;
        for (const Json& spot : survey["spots"]) found.insert(spot["eye"][0] > 50);
        return found;
    };
    EXPECT_EQ(islands(" --start 8,1.7,8"), std::set{false});
    EXPECT_EQ(islands(" --start 108,1.7,8"), std::set{true});
    EXPECT_EQ(islands(" --start 8,1.7,8 --start 108,1.7,8"), (std::set{false, true}));
    EXPECT_EQ(cli("survey islands.glb --start 8,1.7").status, 2);
    EXPECT_EQ(cli("survey islands.glb --start 8,1.7,8,9").status, 2);
}

TEST_F(CliSurvey, TellsTheWorstViewAndWhatIsDrawnInVain) {
    const Outcome outcome = cli(
        "survey rooms.glb --start=0,1.7,12 --spacing 5 --face-size 64 --json s.json --csv s.csv");
    EXPECT_EQ(outcome.status, 0);
    EXPECT_THAT(outcome.output, HasSubstr("drawn in vain"));
    EXPECT_THAT(outcome.output, HasSubstr("Slowest view: about"));
    EXPECT_THAT(outcome.output, HasSubstr("An estimate"));
    const Json survey = json("s.json");
    EXPECT_EQ(survey["format"], "flentro-survey");
    EXPECT_GE(survey["spots"].size(), 10U);
    EXPECT_EQ(survey["seen"]["waste"][0]["object"], "sphere node");
    EXPECT_EQ(survey["seen"]["neverSeen"]["names"][0], "sphere node");
    for (const Json& spot : survey["spots"])
        EXPECT_GT(spot["eye"][2].get<double>(), 0) << "the wall is not passed";
    EXPECT_THAT(test::readText(folder_ / "s.csv"), testing::StartsWith("spot,x,y,z,heading"));
}

TEST_F(CliSurvey, StandsWhereItIsTold) {
    test::writeText(folder_ / "spots.json",
                    R"({"format": "flentro-spots", "spots": [{"eye": [0, 1.7, 12]}]})");
    EXPECT_EQ(cli("survey rooms.glb --spots spots.json --drawn-only --json one.json").status, 0);
    EXPECT_EQ(json("one.json")["spots"].size(), 1U);
    EXPECT_FALSE(json("one.json").contains("seen"));
    EXPECT_EQ(cli("survey rooms.glb --area 'floor node' --drawn-only --json area.json").status, 0);
    bool beyond = false;
    const Json area = json("area.json");
    for (const Json& spot : area["spots"]) beyond = beyond || spot["eye"][2].get<double>() < -1;
    EXPECT_TRUE(beyond) << "an area needs no way there";
    EXPECT_EQ(cli("survey rooms.glb --area cellar").status, 2);
    EXPECT_EQ(cli("survey rooms.glb --route nobody").status, 2);
    EXPECT_EQ(cli("survey rooms.glb --area a --spots b").status, 2);
}

TEST_F(CliSurvey, AuditJudgesTheWorstViewAndNamesItsCause) {
    Json strict = toJson(shippedTargets()[0]);
    strict["name"] = "Strict";
    strict["limits"]["triangles"] = 3000;
    test::writeText(folder_ / "strict.target.json", strict.dump());
    const std::string start = " --start=0,1.7,12 --spacing 5 ";
    const Outcome over = cli("audit rooms.glb --target strict.target.json --json a.json" + start);
    EXPECT_EQ(over.status, 1);
    const Json audit = json("a.json");
    EXPECT_EQ(audit["worst"][0]["measure"], "triangles");
    std::string named;
    for (const Json& finding : audit["findings"])
        if (finding["rule"] == "over-limit") named = finding["subjects"][0]["name"];
    EXPECT_EQ(named, "sphere");
    EXPECT_THAT(over.output, HasSubstr("no-levels"));
    EXPECT_THAT(over.output,
                testing::ContainsRegex("  triangles x1\\.73 to x[0-9]+\\.[0-9]+; fix "))
        << "loads before and after, of what is over";
    EXPECT_THAT(over.output, HasSubstr("% of the ground"));
    EXPECT_EQ(audit["coverage"]["objectsSeen"].is_number(), true);
    EXPECT_GT(audit["frame"]["milliseconds"], 0);
    const Outcome quick =
        cli("audit rooms.glb --target strict.target.json --quick --json q.json" + start);
    EXPECT_THAT(quick.output, HasSubstr("at best triangles x1.73 to"));
    const Json untried = json("q.json");
    for (const Json& finding : untried["findings"]) EXPECT_EQ(finding["tried"], false);
    for (const Json& finding : audit["findings"]) {
        if (!finding.contains("fix") || finding["rule"] == "over-limit") continue;
        EXPECT_EQ(finding["tried"], true) << finding["rule"];
    }
    EXPECT_EQ(
        cli("audit rooms.glb --target strict.target.json --eye=0,1.7,12 --heading 180").status, 0)
        << "away from everything";
}

TEST_F(CliSurvey, AuditTellsWhatIsNewAndFailsOnWhatIsAsked) {
    const std::string audit = "audit rooms.glb --start=0,1.7,12 --spacing 5 --no-survey ";
    ASSERT_NE(cli(audit + "--json last.json --csv now.csv").status, 2);
    const Json last = json("last.json");
    ASSERT_FALSE(last["findings"].empty());
    const std::string csv = test::readText(folder_ / "now.csv");
    EXPECT_EQ(static_cast<std::size_t>(std::count(csv.begin(), csv.end(), '\n')),
              1 + last["findings"].size());
    const Outcome same = cli(audit + "--baseline last.json --fail-on any");
    EXPECT_EQ(same.status, 0) << same.output;
    EXPECT_THAT(same.output, HasSubstr("0 findings"));
    EXPECT_EQ(cli(audit + "--fail-on degenerate-triangles").status, 1);
    EXPECT_EQ(cli(audit + "--fail-on mirrored-scale,lights").status, 0);
    const Outcome slip = cli(audit + "--fail-on degenerate");
    EXPECT_EQ(slip.status, 2);
    EXPECT_THAT(slip.output, HasSubstr("'degenerate' is no rule and no measure"));
    for (const Json& finding : last["findings"])
        EXPECT_NE(finding["rule"], "never-seen-object") << "no rays were cast";
    EXPECT_THAT(cli("findings too-dense").output, HasSubstr("Measured: "));
    EXPECT_EQ(cli("findings too-heavy").status, 2);
}

TEST_F(CliSurvey, CalibrationFitsMeasuredFrames) {
    const std::string spots = " --start=0,1.7,12 --spacing 5 ";
    ASSERT_EQ(cli("survey rooms.glb --drawn-only --csv s.csv" + spots).status, 0);
    // A machine on which a frame takes 3 ms and a million vertices 1,000 ms more.
    std::istringstream lines(test::readText(folder_ / "s.csv"));
    std::string times = "spot,heading,ms\n";
    std::string line;
    std::getline(lines, line);
    while (std::getline(lines, line)) {
        std::vector<std::string> cells;
        std::istringstream parts(line);
        for (std::string cell; std::getline(parts, cell, ',');) cells.push_back(cell);
        times +=
            cells[0] + "," + cells[4] + "," + std::to_string(3 + std::stod(cells[6]) / 1000) + "\n";
    }
    test::writeText(folder_ / "times.csv", times);
    const Outcome outcome =
        cli("calibrate rooms.glb times.csv --out ours.target.json --json c.json" + spots);
    EXPECT_EQ(outcome.status, 0) << outcome.output;
    EXPECT_THAT(outcome.output, HasSubstr("of the variance explained"));
    EXPECT_GT(json("c.json")["explained"].get<double>(), 0.9);
    EXPECT_EQ(json("ours.target.json")["frameCost"]["calibrated"], true);
    test::writeText(folder_ / "times.csv", "spot,heading,ms\ncellar,0,9\n");
    const Outcome bad = cli("calibrate rooms.glb times.csv" + spots);
    EXPECT_EQ(bad.status, 2);
    EXPECT_THAT(bad.output, HasSubstr("times.csv, line 2"));
}

TEST_F(CliSurvey, FixesGoByWhatASurveySaw) {
    test::writeText(folder_ / "order.json",
                    R"({"format":"flentro-work-order","version":1,"fixes":[
                        {"fix":"culling"},{"fix":"merge"}]})");
    const Outcome outcome =
        cli("fix rooms.glb --order order.json --survey --spacing 6 --start=0,1.7,5 "
            "--out fixed.glb --json fix.json");
    ASSERT_EQ(outcome.status, 0) << outcome.output;
    EXPECT_FALSE(json("fix.json")["steps"][1]["merge"]["estimated"]);
    EXPECT_THAT(outcome.output, testing::AnyOf(HasSubstr("Nothing goes that any spot has seen"),
                                               HasSubstr("go from spots that saw them")));
}

TEST_F(CliSurvey, LightsAndTexturesGoByWhatWasSeenAndPicturesTellTheLoss) {
    Scene scene = test::groundWith({{test::makeBox({1, 2, 1}), {0, 1, -6}}},
                                   {{{0, 3, -4}}, {{3, 3, -4}, 100, 400, true}});
    const int texture =
        test::addPicture(scene, test::makePicture(
                                    512, 512,
                                    [](int x, int y) -> std::array<int, 4> {
                                        return {x % 256, y % 256, (x + y) % 256, 255};
                                    },
                                    3));
    test::setMaterial(scene, 0,
                      test::addMaterial(scene, {{"pbrMetallicRoughness",
                                                 {{"baseColorTexture", {{"index", texture}}}}}}));
    ASSERT_TRUE(writeGltf(scene, folder_ / "lamps.glb", {}, noProgress()));
    Json order = {{"format", "flentro-work-order"}, {"version", 2}};
    for (const char* fix : {"texture-size", "light-reach", "fewer-lights", "shadow-lights"})
        order["fixes"].push_back({{"fix", fix}});
    order["fixes"][0]["settings"]["halvings"] = 1;
    test::writeText(folder_ / "order.json", order.dump());
    test::writeText(folder_ / "file", "");
    const Outcome refused =
        cli("fix lamps.glb --order order.json --picture-folder file/pictures --out fixed.glb");
    EXPECT_EQ(refused.status, 2);
    EXPECT_THAT(refused.output, HasSubstr("file/pictures: cannot be made"));
    const Outcome outcome = cli(
        "fix lamps.glb --order order.json --survey --spacing 8 --start=0,1.7,3 --target \"Slate "
        "60\" --pictures 2 --picture-folder pictures --ktx2 --out fixed.glb --json fix.json");
    ASSERT_LT(outcome.status, 2) << outcome.output;
    const Json steps = json("fix.json")["steps"];
    ASSERT_EQ(steps.size(), 4U);
    ASSERT_FALSE(steps[0].value("images", Json::array()).empty()) << outcome.output;
    ASSERT_FALSE(steps[1].value("lights", Json::array()).empty()) << outcome.output;
    for (const Json& step : steps) ASSERT_TRUE(step.contains("pictures")) << outcome.output;
    EXPECT_EQ(steps[0]["images"][0]["stored"], Json({512, 512}));
    EXPECT_LT(steps[0]["pictures"]["worstFlip"], 0.1);
    for (const Json& step : steps) {
        EXPECT_GE(step["pictures"]["meanFlip"], 0);
        EXPECT_TRUE(
            std::filesystem::exists(folder_ / step["pictures"]["files"][1].get<std::string>()));
    }
    EXPECT_EQ(steps[1]["lights"][0]["light"], "lamp 2") << "it reached 400 m";
    EXPECT_THAT(steps[3]["summary"].get<std::string>(), HasSubstr("at most 1 in any view"));
    const Json manifest = json("fixed.manifest.json");
    ASSERT_EQ(manifest["textures"].size(), 1U);
    EXPECT_TRUE(std::filesystem::exists(folder_ / manifest["textures"][0]["file"]));
    EXPECT_EQ(test::validatorErrors(folder_ / "fixed.glb"), "");
}

TEST_F(CliSurvey, ProvesEverySpotBeforeAndAfter) {
    Json strict = toJson(shippedTargets().back());
    strict["name"] = "Strict";
    strict["limits"] = {{"triangles", 3000}};
    test::writeText(folder_ / "strict.target.json", strict.dump());
    test::writeText(folder_ / "order.json",
                    R"({"format":"flentro-work-order","version":1,"fixes":[
                        {"fix":"culling","settings":{"overrides":{"sphere":0.5,"small sphere":0.5}}}]})");
    const Outcome outcome =
        cli("fix rooms.glb --order order.json --survey --spacing 6 --start=0,1.7,5 --target "
            "strict.target.json --out fixed.glb --json fix.json");
    ASSERT_EQ(outcome.status, 0) << outcome.output;
    const Json proof = json("fix.json")["proof"];
    EXPECT_EQ(proof["format"], "flentro-proof");
    ASSERT_FALSE(proof["spots"].empty());
    EXPECT_GT(proof["spotsOverBefore"], 0);
    EXPECT_EQ(proof["spotsOverAfter"], 0) << "what was dear is gone everywhere but beside it";
    for (const Json& spot : proof["spots"])
        EXPECT_LE(spot["after"]["load"], spot["before"]["load"]);
    EXPECT_THAT(outcome.output,
                HasSubstr("Strict: " + proof["spotsOverBefore"].dump() + " of " +
                          std::to_string(proof["spots"].size()) + " spots over before, 0 after"));
    const Json worst = json("fix.json")["steps"][0]["worstView"]["triangles"];
    EXPECT_GT(worst[0], worst[1]);
}

TEST_F(Cli, AroundAThingThatStandsAloneNothingIsCountedBetween) {
    const Scene scene = test::makeScene({{test::makeSphere(24, 12, 0.2), {0, 0.2, 0}}});
    ASSERT_TRUE(writeGltf(scene, folder_ / "ball.glb", {}, noProgress()));
    const Outcome outcome = cli("fix ball.glb --survey --out lighter.glb --json fix.json");
    EXPECT_EQ(outcome.status, 0) << outcome.output;
    EXPECT_THAT(outcome.output, testing::Not(HasSubstr("Between the spots")));
    EXPECT_FALSE(json("fix.json")["proof"].contains("between"));
    EXPECT_THAT(outcome.output, HasSubstr("Frame time (estimate)"));
}

/// What a target that batches the copies of one node counts is what the exported file has.
TEST_F(Cli, DrawCallsOfTheResultAreThoseOfTheExportedFile) {
    const Mesh box = test::makeBox({1, 1, 1});
    const Scene scene = test::makeScene({{box, {-2, 0, -9}}, {box, {0, 0, -9}}, {box, {2, 0, -9}}});
    ASSERT_TRUE(writeGltf(scene, folder_ / "boxes.glb", {}, noProgress()));
    const auto calls = [&](const std::string& file) {
        EXPECT_EQ(cli("audit " + file +
                      " --target 'Desk 120' --eye=0,0,0 --heading 0 --quiet "
                      "--json audit.json")
                      .status,
                  0);
        const Json audit = json("audit.json");
        for (const Json& row : audit["measures"])
            if (row["measure"] == "drawCalls") return row["value"];
        return Json();
    };
    EXPECT_EQ(calls("boxes.glb"), 3) << "equal meshes on three nodes";
    const auto fixed = [&](const std::string& fixes) {
        test::writeText(folder_ / "order.json",
                        R"({"format":"flentro-work-order","version":1,"fixes":[)" + fixes + "]}");
        const Outcome outcome = cli("fix boxes.glb --order order.json --out out.gltf --quiet");
        EXPECT_EQ(outcome.status, 0) << outcome.output;
        EXPECT_EQ(test::validatorErrors(folder_ / "out.gltf"), "");
        EXPECT_EQ(readGltf(folder_ / "out.gltf", noProgress())->objects.size(), 3U);
        std::size_t shown = 0;
        const Json document = json("out.gltf");
        for (const Json& node : document["nodes"]) shown += node.contains("mesh");
        return shown;
    };
    EXPECT_EQ(fixed(R"({"fix":"share"})"), 3U);
    EXPECT_EQ(calls("out.gltf"), 3) << "one mesh, but three nodes";
    EXPECT_EQ(fixed(R"({"fix":"share"},{"fix":"instances"})"), 1U);
    EXPECT_EQ(calls("out.gltf"), 1);
}

}  // namespace
}  // namespace flentro
