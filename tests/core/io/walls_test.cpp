// What the import process cannot do once its walls are up; tried in a child process each.

#include "io/import_process/walls.h"

#include <gtest/gtest.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <functional>
#include <thread>

#include "support/process.h"

namespace flentro {
namespace {

class WallsTest : public testing::Test {
protected:
    WallsTest() {
        std::filesystem::create_directory(folder_ / "scene");
        std::filesystem::create_directory(folder_ / "results");
        test::writeText(folder_ / "scene/a.obj", "v 0 0 0\n");
        test::writeText(folder_ / "secret", "42");
    }
    /// True if it works behind the walls, which the kernel must have.
    bool works(const std::function<bool()>& attempt) {
        const pid_t child = ::fork();
        if (child == 0) {
            const Walls walls = raiseWalls({folder_ / "scene/a.obj", folder_ / "results"});
            if (!walls.files || !walls.calls) std::_Exit(2);
            std::_Exit(attempt() ? 0 : 1);
        }
        int status = 0;
        ::waitpid(child, &status, 0);
        EXPECT_TRUE(WIFEXITED(status));
        if (WEXITSTATUS(status) == 2) hasWalls_ = false;
        return WEXITSTATUS(status) == 0;
    }
    bool reads(const std::filesystem::path& file) {
        return works([&] { return std::ifstream(file).good(); });
    }
    bool writes(const std::filesystem::path& file) {
        return works([&] { return (std::ofstream(file) << "x").flush().good(); });
    }
    test::TemporaryFolder folder_;
    bool hasWalls_ = true;
};

TEST_F(WallsTest, OnlyTheSceneIsReadAndOnlyResultsAreWritten) {
    const bool readsScene = reads(folder_ / "scene/a.obj");
    if (!hasWalls_) GTEST_SKIP() << describeWalls();
    EXPECT_TRUE(readsScene);
    EXPECT_TRUE(writes(folder_ / "results/scene.glb"));
    EXPECT_FALSE(reads(folder_ / "secret"));
    EXPECT_FALSE(reads("/etc/passwd"));
    EXPECT_FALSE(writes(folder_ / "scene/a.obj"));
    EXPECT_FALSE(writes(folder_ / "scene/new"));
    EXPECT_FALSE(writes(folder_ / "secret"));
    EXPECT_EQ(test::readText(folder_ / "scene/a.obj"), "v 0 0 0\n");
    EXPECT_FALSE(works([&] {
        return ::rename((folder_ / "scene/a.obj").c_str(), (folder_ / "results/a").c_str()) == 0;
    }));
}

TEST_F(WallsTest, NoNetworkNoProgramAndNoProcess) {
    const bool startsThreads = works([] {
        bool ran = false;
        std::thread([&] { ran = true; }).join();
        return ran;
    });
    if (!hasWalls_) GTEST_SKIP() << describeWalls();
    EXPECT_TRUE(startsThreads);
    EXPECT_FALSE(works([] { return ::socket(AF_INET, SOCK_STREAM, 0) >= 0; }));
    EXPECT_FALSE(works([] { return ::socket(AF_UNIX, SOCK_STREAM, 0) >= 0; }));
    EXPECT_FALSE(works([] {
        const pid_t child = ::fork();
        if (child == 0) std::_Exit(0);
        return child > 0;
    }));
    EXPECT_FALSE(works([] {
        ::execl("/bin/true", "true", nullptr);
        return ::access("/bin/true", X_OK) != 0;  // Only here where that failed.
    }));
}

TEST(Walls, AreDescribed) {
    const test::Outcome outcome = test::runOurs("flentro-import", "--walls");
    EXPECT_EQ(outcome.status, 0);
    EXPECT_EQ(outcome.output, describeWalls() + "\n");
}

}  // namespace
}  // namespace flentro
