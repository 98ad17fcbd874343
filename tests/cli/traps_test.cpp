// Strangers' files through the real command line.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <set>

#include "base/json.h"
#include "data/trap_fixture.h"
#include "io/gltf.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;

class Traps : public test::TrapTest {
protected:
    static test::Outcome cli(const std::string& arguments) {
        return test::runOurs("flentro-cli", arguments);
    }
    static std::string path(const std::string& name) { return (*folder_ / name).string(); }
};

TEST_F(Traps, EachIsCountedAndIsSmall) {
    for (const test::Trap& trap : traps_) {
        SCOPED_TRACE(trap.file);
        EXPECT_LT(std::filesystem::file_size(path(trap.file)), 100'000U);
        const auto told = cli("inventory " + path(trap.file));
        EXPECT_EQ(told.status, 0) << told.output;
        EXPECT_THAT(told.output, HasSubstr(trap.note));
        const auto outcome = cli("inventory --quiet --json - " + path(trap.file));
        const Json counts = Json::parse(outcome.output, nullptr, false);
        ASSERT_TRUE(counts.is_object()) << outcome.output;
        EXPECT_EQ(counts["placedTriangles"], trap.triangles);
    }
}

TEST_F(Traps, FigureHasItsBonesOnTheCommandLine) {
    for (const char* file : {"figure.dae", "figure.fbx"}) {
        const auto outcome = cli("inventory --quiet --json - " + path(file));
        const Json counts = Json::parse(outcome.output, nullptr, false);
        EXPECT_EQ(counts["skins"], 1) << file;
        EXPECT_EQ(counts["lights"], 1) << file;
        EXPECT_EQ(counts["textures"].size(), 1U) << file;
    }
}

TEST_F(Traps, AKilledProgramTakesItsImportAlong) {
    std::string text;
    for (int i = 0; i < 400'000; ++i)
        text += "v 1 2 3\nv 4 5 6\nv 7 8 " + std::to_string(i) + "\nf -1 -2 -3\n";
    test::writeText(path("long.obj"), text);
    const auto importers = [&] {
        int count = 0;
        for (const auto& process : std::filesystem::directory_iterator("/proc")) {
            const std::string line = test::readText(process.path() / "cmdline");
            count += line.find("flentro-import") != std::string::npos &&
                     line.find(path("long.obj")) != std::string::npos;
        }
        return count;
    };
    (void)test::run(std::string(FLENTRO_BIN_DIR) + "/flentro-cli inventory --quiet " +
                    path("long.obj") + " >/dev/null 2>&1 & sleep 0.4; kill -9 $!; sleep 0.3");
    EXPECT_EQ(importers(), 0);
    std::filesystem::remove(path("long.obj"));
}

TEST_F(Traps, BordersThatMeetStayTogetherInReduce) {
    // Two wavy cells side by side: along x = 10 both have the same vertices.
    std::string text;
    int first = 1;
    for (const int cell : {0, 1}) {
        text += fmt::format("o cell{}\n", cell);
        for (int z = 0; z <= 20; ++z)
            for (int x = 0; x <= 20; ++x) {
                const double px = cell * 10 + x * 0.5, pz = z * 0.5;
                text += fmt::format("v {} {} {}\n", px, 0.4 * std::sin(px) * std::cos(2 * pz), pz);
            }
        for (int z = 0; z < 20; ++z)
            for (int x = 0; x < 20; ++x) {
                const int a = first + z * 21 + x;
                text += fmt::format("f {} {} {} {}\n", a, a + 21, a + 22, a + 1);
            }
        first += 21 * 21;
    }
    test::writeText(path("cells.obj"), text);
    const auto onBorder = [&](const std::string& options) {
        const std::string out = path("cells.glb");
        EXPECT_EQ(cli("reduce --quiet --unit m --up Y --ratio 0.1 " + options + path("cells.obj") +
                      " --out " + out)
                      .status,
                  0);
        const auto scene = readGltf(out, noProgress());
        EXPECT_TRUE(scene);
        std::vector<std::size_t> counts;
        for (const Object& object : scene->objects) {
            std::set<std::pair<float, float>> places;
            for (const Part& part : scene->mesh(object).parts)
                for (const Vec3f& p : positionsOf(part))
                    if (p.x() == 10) places.insert({p.y(), p.z()});
            counts.push_back(places.size());
        }
        return counts;
    };
    EXPECT_THAT(onBorder(""), testing::ElementsAre(21, 21));
    EXPECT_THAT(onBorder("--free-borders "), testing::Each(testing::Lt(21U)));
}

TEST_F(Traps, UnitAndAxisAreTakenFromTheCommandLine) {
    const std::string out = path("engine.glb");
    const auto done =
        cli("reduce --unit cm --up Z --ratio 1 " + path("engine.obj") + " --out " + out);
    ASSERT_EQ(done.status, 0) << done.output;
    EXPECT_THAT(done.output, testing::Not(HasSubstr("taken for")));
    EXPECT_THAT(test::readText(out), HasSubstr("centimetres, Z up"));
    EXPECT_EQ(cli("inventory --unit yard " + path("engine.obj")).status, 2);
    EXPECT_EQ(cli("inventory --crease 200 " + path("engine.obj")).status, 2);
    const auto unknown = cli("inventory --variant blue " + path("engine.obj"));
    EXPECT_EQ(unknown.status, 2);
    EXPECT_THAT(unknown.output, HasSubstr("no such variant"));
}

}  // namespace
}  // namespace flentro
