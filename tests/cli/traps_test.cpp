// Strangers' files through the real command line.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "base/json.h"
#include "data/traps.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;

class Traps : public testing::Test {
protected:
    static void SetUpTestSuite() {
        folder_ = std::make_unique<test::TemporaryFolder>();
        traps_ = test::writeTraps(folder_->path());
    }
    static void TearDownTestSuite() { folder_.reset(); }
    static test::Outcome cli(const std::string& arguments) {
        return test::runOurs("flentro-cli", arguments);
    }
    static std::string path(const std::string& name) { return (*folder_ / name).string(); }

    static std::unique_ptr<test::TemporaryFolder> folder_;
    static std::vector<test::Trap> traps_;
};
std::unique_ptr<test::TemporaryFolder> Traps::folder_;
std::vector<test::Trap> Traps::traps_;

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
