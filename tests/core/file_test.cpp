#include "io/file.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/stat.h>

#include <csignal>

#include "support/gltf_builder.h"
#include "support/process.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;

TEST(File, WritesAndReadsBack) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeFileAtomic(folder / "a.txt", std::string_view("hello")));
    EXPECT_EQ(readTextFile(folder / "a.txt").value(), "hello");
    ASSERT_TRUE(writeFileAtomic(folder / "a.txt", std::string_view("again")));
    EXPECT_EQ(readTextFile(folder / "a.txt").value(), "again");
    EXPECT_EQ(folder.fileCount(), 1U) << "no temporary file may stay behind";
}

TEST(File, SaysWhichFileIsMissing) {
    const auto data = readFile("/nowhere/scene.glb");
    ASSERT_FALSE(data);
    EXPECT_EQ(data.error().code, ErrorCode::NotFound);
    EXPECT_EQ(data.error().where, "/nowhere/scene.glb");
}

TEST(File, RefusesFoldersAndTooLargeFiles) {
    const test::TemporaryFolder folder;
    EXPECT_EQ(readFile(folder.path()).error().code, ErrorCode::Io);
    test::writeText(folder / "b", std::string(100, 'x'));
    EXPECT_EQ(readFile(folder / "b", 99).error().code, ErrorCode::Limit);
    EXPECT_EQ(readFile(folder / "b", 100)->size(), 100U);
}

TEST(File, LeavesTheOldFileWhenTheDiskIsFull) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeFileAtomic(folder / "a.txt", std::string_view("old")));
    // A limit on file size stands in for a full disk.
    rlimit before{};
    getrlimit(RLIMIT_FSIZE, &before);
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit small{1000, before.rlim_max};
    setrlimit(RLIMIT_FSIZE, &small);
    const auto done = writeFileAtomic(folder / "a.txt", std::string(100'000, 'x'));
    setrlimit(RLIMIT_FSIZE, &before);
    ASSERT_FALSE(done);
    EXPECT_EQ(done.error().code, ErrorCode::Io);
    EXPECT_THAT(done.error().where, HasSubstr("a.txt"));
    EXPECT_EQ(readTextFile(folder / "a.txt").value(), "old");
    EXPECT_EQ(folder.fileCount(), 1U);
}

TEST(File, FailsToWriteIntoAMissingFolder) {
    EXPECT_FALSE(writeFileAtomic("/nowhere/at/all.txt", std::string_view("x")));
}

TEST(ResolveInside, FollowsRelativePathsAndPercentEscapes) {
    const test::TemporaryFolder folder;
    const fs::path base = fs::canonical(folder.path());
    EXPECT_EQ(resolveInside(base, "textures/a.png").value(), base / "textures/a.png");
    EXPECT_EQ(resolveInside(base, "two%20words.png").value(), base / "two words.png");
    EXPECT_EQ(resolveInside(base, "a/../b.png").value(), base / "b.png");
}

TEST(ResolveInside, RefusesWhatLeadsOutside) {
    const test::TemporaryFolder folder;
    for (const char* uri : {"../secret", "a/../../secret", "/etc/passwd", "file:///etc/passwd",
                            "http://host/x", "%2e%2e/secret", "..\\secret", ""}) {
        const auto path = resolveInside(folder.path(), uri);
        ASSERT_FALSE(path) << uri;
        EXPECT_EQ(path.error().code, ErrorCode::Forbidden) << uri;
    }
}

TEST(ResolveInside, RefusesSymbolicLinksThatLeadOutside) {
    const test::TemporaryFolder folder;
    fs::create_directory_symlink("/etc", folder / "link");
    EXPECT_FALSE(resolveInside(folder.path(), "link/passwd"));
}

TEST(DataUri, DecodesBase64OfEveryLength) {
    for (std::size_t length = 0; length < 10; ++length) {
        Bytes data(length);
        for (std::size_t i = 0; i < length; ++i) data[i] = static_cast<std::byte>(37 * i + 1);
        const std::string uri = "data:application/octet-stream;base64," + test::toBase64(data);
        EXPECT_EQ(decodeDataUri(uri).value(), data) << length;
    }
}

TEST(DataUri, RefusesWhatIsNotBase64) {
    EXPECT_FALSE(decodeDataUri("data:text/plain,hello"));
    EXPECT_FALSE(decodeDataUri("data:x;base64,ab!c"));
}

}  // namespace
}  // namespace flentro
