// The real program on bad input, with bad options, interrupted and killed.

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <map>
#include <thread>

#include "io/gltf.h"
#include "project/project.h"
#include "support/gltf_builder.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;
using test::Outcome;
using testing::AnyOf;
using testing::HasSubstr;
using testing::Not;

class Robust : public testing::Test {
protected:
    Robust() {
        const Scene scene = test::makeScene(
            {{test::makeGrid(40, 40, 20), {-10, 0, -10}}, {test::makeSphere(48, 24), {0, 1, -5}}});
        EXPECT_TRUE(writeGltf(scene, folder_ / "scene.glb", {}, noProgress()));
    }
    Outcome cli(const std::string& arguments, const std::string& environment = "") {
        return test::run("cd '" + folder_.path().string() + "' && " + environment + " '" +
                         FLENTRO_BIN_DIR + "/flentro-cli' " + arguments);
    }
    void write(const std::string& name, const std::string& text) {
        test::writeText(folder_ / name, text);
    }
    test::TemporaryFolder folder_;
};

// --- options ------------------------------------------------------------------------------

TEST_F(Robust, NumbersThatAreNoneAreRefused) {
    for (const char* arguments :
         {"audit scene.glb --eye-height nan", "audit scene.glb --spacing nan",
          "audit scene.glb --spacing -4", "audit scene.glb --eye nan,0,0",
          "audit scene.glb --start 0,inf,0", "audit scene.glb --pitch nan",
          "audit scene.glb --heading nan", "audit scene.glb --headings 0",
          "audit scene.glb --camera-distance -1", "survey scene.glb --face-size nan",
          "reduce scene.glb --triangles -5 --out o.glb", "reduce scene.glb --ratio nan --out o.glb",
          "reduce scene.glb --deviation nan --out o.glb", "audit scene.glb --memory nan"}) {
        const Outcome outcome = cli(arguments);
        EXPECT_EQ(outcome.status, 2) << arguments << "\n" << outcome.output;
        EXPECT_THAT(outcome.output, HasSubstr("is not a number from")) << arguments;
    }
    EXPECT_FALSE(fs::exists(folder_ / "o.glb"));
}

TEST_F(Robust, AnAssetThatIsNotThereIsNamed) {
    const Outcome outcome = cli("reduce scene.glb --asset nosuch --triangles 9 --out o.glb");
    EXPECT_EQ(outcome.status, 2);
    EXPECT_THAT(outcome.output, HasSubstr("nosuch: no asset has this name"));
    EXPECT_FALSE(fs::exists(folder_ / "o.glb"));
}

TEST_F(Robust, OutputIsTriedBeforeTheWork) {
    write("order.json", R"({"format": "flentro-work-order", "version": 1, "fixes": []})");
    for (const char* arguments : {"fix nosuch.glb --out /nowhere/o.glb",
                                  "reduce nosuch.glb --ratio 0.5 --out /nowhere/o.glb",
                                  "survey nosuch.glb --csv /nowhere/o.csv"}) {
        const Outcome outcome = cli(arguments);
        EXPECT_EQ(outcome.status, 2);
        EXPECT_THAT(outcome.output, HasSubstr("/nowhere/o.")) << "not the scene: " << arguments;
    }
}

TEST_F(Robust, NoOutputIsAnInputOrAnotherOutput) {
    write("spots.json",
          R"({"format": "flentro-spots", "version": 1, "spots": [{"eye": [0, 2, 5]}]})");
    write("order.json", R"({"format": "flentro-work-order", "version": 2, "fixes": []})");
    write("last.json", R"({"findings": []})");
    write("times.csv", "spot,heading,ms\n");
    write("part.mtl", "newmtl m\nKd 1 0 0\n");
    write("part.obj", "mtllib part.mtl\nv 0 0 0\nv 1 0 0\nv 0 0 1\nusemtl m\nf 1 3 2\n");
    ASSERT_EQ(cli("targets 'Kiosk 60' --json k.target.json").status, 0);
    fs::create_symlink("scene.glb", folder_ / "link.glb");
    const std::map<std::string, std::string> kept = [&] {
        std::map<std::string, std::string> files;
        for (const auto& entry : fs::directory_iterator(folder_.path()))
            files[entry.path().filename()] = test::readText(entry.path());
        return files;
    }();
    const std::vector<std::pair<std::string, std::string>> commands = {
        {"inventory scene.glb --json scene.glb", "--json would write over what the scene reads"},
        {"inventory scene.glb --json ./x/../scene.glb", "over what the scene reads"},
        {"inventory scene.glb --json link.glb", "over what the scene reads"},
        {"inventory part.obj --json part.mtl", "over a file of the scene"},
        {"audit scene.glb --csv scene.glb", "--csv would write over what the scene reads"},
        {"audit scene.glb --json last.json --baseline last.json", "what --baseline reads"},
        {"audit scene.glb --target k.target.json --json k.target.json", "what --target reads"},
        {"audit scene.glb --json a --csv a", "--json and --csv would write the same file"},
        {"survey scene.glb --spots spots.json --csv spots.json", "what --spots reads"},
        {"survey scene.glb --route spots.json --json spots.json", "what --route reads"},
        {"calibrate scene.glb times.csv --json times.csv", "what the times reads"},
        {"calibrate scene.glb times.csv --target k.target.json --out k.target.json",
         "what --target reads"},
        {"targets k.target.json --json k.target.json", "what the target reads"},
        {"reduce scene.glb --ratio 0.5 --out link.glb", "--out would write over"},
        {"reduce scene.glb --ratio 0.5 --out o.glb --json o.glb", "would write the same file"},
        {"fix scene.glb --out o.glb --json scene.glb", "over what the scene reads"},
        {"fix scene.glb --out o.glb --json o.manifest.json", "would write the same file"},
        {"fix scene.glb --out o.gltf --json o.bin", "would write the same file"},
        {"fix scene.glb --order order.json --out o.glb --json order.json", "what --order reads"}};
    for (const auto& [command, message] : commands) {
        const Outcome outcome = cli(command);
        EXPECT_EQ(outcome.status, 2) << command << "\n" << outcome.output;
        EXPECT_THAT(outcome.output, HasSubstr(message)) << command;
    }
    for (const auto& entry : fs::directory_iterator(folder_.path()))
        EXPECT_EQ(test::readText(entry.path()), kept.at(entry.path().filename()));
}

TEST_F(Robust, AnOrderOfAProjectIsCheckedAsTheProjectSays) {
    Project project;
    project.scene = folder_ / "scene.glb";
    project.target = findTarget("Desk 120").value();
    project.import.unit = "cm";
    project.survey.where = SurveyRequest::Where::Kept;
    project.spots = {{"gate", {{0, 0.017, 0.05}, 0, 0}}, {"wall", {{0.05, 0.017, 0}, 90, 0}}};
    ASSERT_TRUE(saveProject(project, folder_ / "p.flentro.json"));
    const std::string command = "fix scene.glb --order p.flentro.json --survey --out o.glb";
    const Outcome as = cli(command);
    EXPECT_THAT(as.output, HasSubstr("Desk 120: ")) << "its target";
    EXPECT_THAT(as.output, HasSubstr("of 2 spots over before")) << "its places";
    const auto result = readGltf(folder_ / "o.glb", noProgress());
    ASSERT_TRUE(result);
    EXPECT_LT(result->bounds().diagonal().norm(), 0.4) << "its unit: 20 m are 20 cm";
    const Outcome flags = cli(command + " --target 'Palm 30' --unit m --start 0,1.7,5");
    EXPECT_THAT(flags.output, HasSubstr("Palm 30: "));
    EXPECT_THAT(flags.output, Not(HasSubstr("of 2 spots")));
}

TEST_F(Robust, LostOutputIsNoSuccess) {
    for (const char* command : {"inventory scene.glb", "targets", "fixes ladder", "--help",
                                "audit scene.glb --json -", "fix scene.glb --out o.glb"})
        for (const char* where : {"> /dev/full", ">&-"}) {
            const Outcome outcome = cli(std::string(command) + " " + where + "; }", "{");
            EXPECT_EQ(outcome.status, 2) << command << where;
            EXPECT_THAT(outcome.output, HasSubstr("standard output: cannot be written"))
                << command << where;
        }
}

TEST_F(Robust, MessagesThatCannotBeWrittenEndNothing) {
    write("part.obj", "v 0 0 0\nv 1 0 0\nv 0 0 1\nf 1 3 2\n");  // comes with notes
    for (const char* where : {"2> /dev/full", "2>&-", "< /dev/null 2>&- 0<&-"}) {
        const Outcome outcome = cli(std::string("fix part.obj --out o.glb ") + where + "; }", "{");
        EXPECT_EQ(outcome.status, 0) << where << outcome.output;
        EXPECT_TRUE(fs::remove(folder_ / "o.glb")) << where;
    }
}

TEST_F(Robust, OrdersWithSlipsAreRefusedByName) {
    const auto order = [&](const std::string& fix, const std::string& settings) {
        write("order.json",
              R"({"format": "flentro-work-order", "version": 1, "fixes": [{"fix": ")" + fix +
                  R"(", "settings": )" + settings + "}]}");
        const Outcome outcome = cli("fix scene.glb --order order.json --out o.glb --quiet");
        EXPECT_EQ(outcome.status, 2) << fix << settings;
        return outcome.output;
    };
    EXPECT_THAT(order("tidy", R"({"weld": "yes"})"), HasSubstr("'weld' is \"yes\""));
    EXPECT_THAT(order("ladder", R"({"levls": 3})"), HasSubstr("'levls' is no setting of it"));
    EXPECT_THAT(order("ladder", R"({"levels": 2.5})"), HasSubstr("whole number"));
    EXPECT_THAT(order("culling", R"({"overrides": {"grid": -2}})"),
                HasSubstr("'overrides.grid' is -2"));
    EXPECT_THAT(order("merge", R"({"overrides": {"grid": "perhaps"}})"), HasSubstr("perhaps"));
    EXPECT_THAT(order("ladder", R"({"overrides": {"sphere": {"switchDistances": [9, 4]}}})"),
                HasSubstr("rising"));
    EXPECT_THAT(order("ladder", R"({"overrides": {"nosuch": {"skip": true}}})"),
                HasSubstr("ladder: nosuch"));
    EXPECT_FALSE(fs::exists(folder_ / "o.glb"));
}

// --- verdicts -----------------------------------------------------------------------------

TEST_F(Robust, NoVerdictWithoutViews) {
    write("empty.gltf", R"({"asset": {"version": "2.0"}})");
    const Outcome empty = cli("audit empty.gltf");
    EXPECT_EQ(empty.status, 2);
    EXPECT_THAT(empty.output, Not(HasSubstr("Within.")));
    const Outcome nowhere = cli("audit scene.glb --within nosuch");
    EXPECT_EQ(nowhere.status, 2);
    EXPECT_THAT(nowhere.output, Not(HasSubstr("Within.")));
    const Outcome far = cli("audit scene.glb --start 9000,9000,9000");
    EXPECT_THAT(far.output, Not(HasSubstr("worst of 0 spots")));
}

TEST_F(Robust, HeadingsAreThoseAskedFor) {
    ASSERT_LT(cli("survey scene.glb --drawn-only --headings 3 --csv v.csv --quiet").status, 2);
    const std::string csv = test::readText(folder_ / "v.csv");
    EXPECT_THAT(csv, HasSubstr(",120.00,"));
    EXPECT_THAT(csv, Not(HasSubstr(",45.00,"))) << "one of eight";
    EXPECT_THAT(csv, HasSubstr("surveyComplete\n"));
}

TEST_F(Robust, NamesOfSpotsAreQuoted) {
    ASSERT_LT(cli("survey scene.glb --drawn-only --camera-distance 3 --camera-pitch -20 "
                  "--csv v.csv --quiet")
                  .status,
              2);
    EXPECT_THAT(test::readText(folder_ / "v.csv"),
                HasSubstr("\n\"1 from 3 m, 0 degrees, pitch -20\","));
}

TEST_F(Robust, ControlCharactersInNamesAreWrittenOut) {
    const Scene scene =
        test::makeScene({{test::named(test::makeBox({1, 1, 1}), "red\x1b[31m\x07"), {0, 0, -5}}});
    ASSERT_TRUE(writeGltf(scene, folder_ / "odd.glb", {}, noProgress()));
    const Outcome outcome = cli("inventory odd.glb");
    EXPECT_EQ(outcome.status, 0);
    EXPECT_THAT(outcome.output, HasSubstr("red\\x1B[31m\\x07"));
    EXPECT_THAT(outcome.output, Not(HasSubstr("\x1b")));
}

// --- attacks ------------------------------------------------------------------------------

TEST_F(Robust, PipesAreNotWaitedFor) {
    ASSERT_EQ(::mkfifo((folder_ / "pipe.glb").c_str(), 0600), 0);
    ASSERT_EQ(::mkfifo((folder_ / "pipe.obj").c_str(), 0600), 0);
    for (const char* file : {"pipe.glb", "pipe.obj"}) {
        const Outcome outcome = cli(std::string("inventory ") + file, "timeout 20");
        EXPECT_EQ(outcome.status, 2) << file;
        EXPECT_THAT(outcome.output, HasSubstr("no file that can be read"));
    }
}

TEST_F(Robust, SmallFilesCannotTakeAllMemory) {
    test::GltfBuilder zeros;
    zeros.addTriangle();
    zeros.document["accessors"][0].erase("bufferView");
    zeros.document["accessors"][0]["count"] = 1'000'000'000;
    zeros.addNode({{"mesh", 0}});
    (void)zeros.write(folder_.path(), "zeros.glb");
    test::GltfBuilder copies;
    copies.addTriangle();
    copies.document["accessors"].push_back(
        {{"componentType", 5126}, {"count", 400'000'000}, {"type", "VEC3"}});
    copies.addNode(
        {{"mesh", 0},
         {"extensions", {{"EXT_mesh_gpu_instancing", {{"attributes", {{"TRANSLATION", 2}}}}}}}});
    (void)copies.write(folder_.path(), "copies.glb");
    for (const char* file : {"zeros.glb", "copies.glb"}) {
        const Outcome outcome = cli(std::string("inventory --memory 500 ") + file);
        EXPECT_EQ(outcome.status, 2) << file;
        EXPECT_THAT(outcome.output, HasSubstr("of the 500 MiB that a scene may take"));
    }
    EXPECT_EQ(cli("inventory --memory 500 scene.glb --quiet").status, 0);
}

TEST_F(Robust, AnAnimationOfANodeThatIsNotThereIsLeftOut) {
    test::GltfBuilder b;
    b.addTriangle();
    b.addNode({{"mesh", 0}});
    const int times = b.addFloats({0, 1}, "SCALAR");
    b.document["animations"] = {
        {{"channels", {{{"sampler", 0}, {"target", {{"node", 99}, {"path", "translation"}}}}}},
         {"samplers", {{{"input", times}, {"output", 0}}}}}};
    (void)b.write(folder_.path(), "odd.glb");
    const Outcome outcome = cli("inventory odd.glb");
    EXPECT_EQ(outcome.status, 0);
    EXPECT_THAT(outcome.output, HasSubstr("'animations.channels.target.node' is 99"));
}

// --- stopped and killed -------------------------------------------------------------------

/// Starts the program in the folder; returns its process.
pid_t start(const fs::path& folder, const std::vector<std::string>& arguments) {
    const pid_t child = ::fork();
    if (child != 0) return child;
    if (::chdir(folder.c_str()) != 0) ::_exit(98);
    for (const int output : {1, 2})
        if (!::freopen("/dev/null", "w", output == 1 ? stdout : stderr)) ::_exit(97);
    const std::string program = std::string(FLENTRO_BIN_DIR) + "/flentro-cli";
    std::vector<char*> argv = {const_cast<char*>(program.c_str())};
    for (const std::string& argument : arguments)
        argv.push_back(const_cast<char*>(argument.c_str()));
    argv.push_back(nullptr);
    ::execv(program.c_str(), argv.data());
    ::_exit(96);
}

TEST_F(Robust, APoliteKillStopsAndCleansUp) {
    for (const int signal : {SIGINT, SIGTERM, SIGHUP}) {
        const pid_t child = start(folder_.path(), {"survey", "scene.glb", "--spacing", "0.2",
                                                   "--face-size", "1024", "--csv", "v.csv"});
        std::this_thread::sleep_for(std::chrono::milliseconds(600));
        ::kill(child, signal);
        int status = 0;
        ::waitpid(child, &status, 0);
        ASSERT_TRUE(WIFEXITED(status)) << signal;
        EXPECT_EQ(WEXITSTATUS(status), 3) << signal;
        for (const auto& entry : fs::directory_iterator(folder_.path()))
            EXPECT_THAT(entry.path().string(), Not(HasSubstr(".tmp")));
        if (fs::exists(folder_ / "v.csv")) {
            EXPECT_THAT(test::readText(folder_ / "v.csv"), HasSubstr(",false\n"));
        }
    }
}

/// One run that is ended at each of its calls that change files, with a good export there before.
class Killed : public Robust, public testing::WithParamInterface<const char*> {
protected:
    Outcome fix(const std::string& scene, int dieAt) {
        return cli("fix " + scene + " --order order.json --quiet --out " + GetParam(),
                   "LD_PRELOAD='" FLENTRO_DIE_AT_CALL "' DIE_COUNT_FILE=calls DIE_AT_CALL=" +
                       std::to_string(dieAt));
    }
    [[nodiscard]] std::size_t trianglesThere() {
        auto scene = readGltf(folder_ / GetParam(), noProgress());
        EXPECT_TRUE(scene) << describe(scene.error());
        return scene ? scene->assets[0].mesh->triangles : 0;
    }
};

TEST_P(Killed, WhateverTheMomentOneWholeExportIsThere) {
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
    GTEST_SKIP() << "sanitizers must be loaded first";
#endif
    const Scene lighter = test::makeScene({{test::makeGrid(20, 20, 20), {-10, 0, -10}}});
    ASSERT_TRUE(writeGltf(lighter, folder_ / "other.glb", {}, noProgress()));
    write("order.json", R"({"format": "flentro-work-order", "version": 1, "fixes": []})");
    const fs::path manifest = fs::path(folder_ / GetParam()).replace_extension(".manifest.json");
    int last = 0;
    for (int dieAt = 1; dieAt < 200; ++dieAt) {
        ASSERT_EQ(fix("scene.glb", 0).status, 0);
        ASSERT_EQ(trianglesThere(), 3200U);
        const int status = fix("other.glb", dieAt).status;
        const std::size_t triangles = trianglesThere();
        EXPECT_THAT(triangles, AnyOf(3200U, 800U)) << "killed at call " << dieAt;
        if (fs::exists(manifest)) {
            const Json json = Json::parse(test::readText(manifest));
            EXPECT_EQ(json["assets"][0]["levels"][0]["triangles"], triangles)
                << "killed at call " << dieAt << ": the manifest tells of another run";
        }
        if (status == 0) {
            last = dieAt;
            break;
        }
        ASSERT_EQ(status, 99);
    }
    EXPECT_GT(last, 8) << "it was never killed in the middle of writing";
    EXPECT_EQ(trianglesThere(), 800U);
    // What the killed runs left behind is swept by the next.
    for (const auto& entry : fs::directory_iterator(folder_.path()))
        EXPECT_THAT(entry.path().string(), Not(HasSubstr(".tmp")));
}

INSTANTIATE_TEST_SUITE_P(Export, Killed, testing::Values("out.glb", "out.gltf"),
                         [](const auto& param) { return std::string(param.param).substr(4); });

}  // namespace
}  // namespace flentro
