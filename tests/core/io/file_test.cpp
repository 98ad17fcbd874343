#include "io/file.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

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

TEST(File, PipesAndDevicesAreRefusedWithoutWaiting) {
    const test::TemporaryFolder folder;
    ASSERT_EQ(::mkfifo((folder / "pipe").c_str(), 0600), 0);
    EXPECT_THAT(readFile(folder / "pipe").error().what, HasSubstr("no file that can be read"));
    EXPECT_THAT(readFile("/dev/zero").error().what, HasSubstr("no file that can be read"));
    EXPECT_FALSE(writeFileAtomic(folder / "pipe", std::string_view("x")));
    EXPECT_TRUE(fs::is_fifo(folder / "pipe")) << "it is not replaced";
}

TEST(File, SetsAreReplacedTogetherOrNotAtAll) {
    const test::TemporaryFolder folder;
    test::writeText(folder / "a", "old a");
    test::writeText(folder / "b", "old b");
    {
        FileSet files;
        ASSERT_TRUE(files.add(folder / "a", std::string_view("new a")));
        ASSERT_TRUE(files.add(folder / "b", std::string_view("new b")));
        EXPECT_EQ(test::readText(folder / "a"), "old a") << "nothing before commit()";
    }
    EXPECT_EQ(test::readText(folder / "b"), "old b");
    EXPECT_EQ(folder.fileCount(), 2U) << "temporaries of a set that is given up are gone";
    FileSet files;
    ASSERT_TRUE(files.add(folder / "a", std::string_view("new a")));
    ASSERT_TRUE(files.add(folder / "b", std::string_view("new b")));
    ASSERT_TRUE(files.commit());
    EXPECT_EQ(test::readText(folder / "a") + test::readText(folder / "b"), "new anew b");
}

TEST(File, ModesStayAndNewFilesFollowTheUmask) {
    const test::TemporaryFolder folder;
    const auto modeOf = [&](const char* name) {
        struct stat info {};
        ::stat((folder / name).c_str(), &info);
        return info.st_mode & 0777U;
    };
    test::writeText(folder / "shared", "old");
    ::chmod((folder / "shared").c_str(), 0664);
    const mode_t before = ::umask(0027);
    ASSERT_TRUE(writeFileAtomic(folder / "shared", std::string_view("new")));
    ASSERT_TRUE(writeFileAtomic(folder / "fresh", std::string_view("new")));
    ::umask(before);
    EXPECT_EQ(modeOf("shared"), 0664U);
    EXPECT_EQ(modeOf("fresh"), 0640U);
}

TEST(File, SymbolicLinksAreFollowed) {
    const test::TemporaryFolder folder;
    test::writeText(folder / "real", "old");
    fs::create_symlink("real", folder / "link");
    ASSERT_TRUE(writeFileAtomic(folder / "link", std::string_view("new")));
    EXPECT_TRUE(fs::is_symlink(folder / "link"));
    EXPECT_EQ(test::readText(folder / "real"), "new");
}

TEST(File, TemporariesOfDeadRunsAreSwept) {
    const test::TemporaryFolder folder;
    const pid_t child = ::fork();
    if (child == 0) ::_exit(0);
    ::waitpid(child, nullptr, 0);
    test::writeText(folder / ("a.flentro-" + std::to_string(child) + "-1.tmp"), "left over");
    test::writeText(folder / ("a.flentro-" + std::to_string(::getppid()) + "-1.tmp"), "at work");
    test::writeText(folder / "b.flentro-of-mine.tmp", "not ours");
    ASSERT_TRUE(writeFileAtomic(folder / "a", std::string_view("new")));
    EXPECT_EQ(folder.fileCount(), 3U);
}

TEST(File, NamesBecomeUrisAndBack) {
    const test::TemporaryFolder folder;
    for (const char* name : {"plain.bin", "a b#1 100%.bin", "\u00e9t\u00e9.bin", "deep/er.bin"}) {
        const auto back = resolveInside(folder.path(), encodeUri(name));
        ASSERT_TRUE(back) << describe(back.error());
        EXPECT_EQ(*back, fs::weakly_canonical(folder / name));
    }
    EXPECT_EQ(encodeUri("a b#.bin"), "a%20b%23.bin");
    EXPECT_TRUE(isDataUri("DATA:image/png;base64,AA=="));
    EXPECT_FALSE(isDataUri("database.bin"));
}

}  // namespace
}  // namespace flentro
