// Caches are believed only where this user has written them.

#include "io/seal.h"

#include <gtest/gtest.h>
#include <sys/stat.h>

#include "support/process.h"

namespace flentro {
namespace {

std::span<const std::byte> bytesOf(const std::string& text) {
    return std::as_bytes(std::span(text));
}

TEST(Sealed, FilesComeBackAsTheyWere) {
    const test::TemporaryFolder folder;
    for (const std::string& text : {std::string(), std::string("a"), std::string(100'000, 'x')}) {
        ASSERT_TRUE(writeSealed(folder / "s", bytesOf(text)));
        const auto back = readSealed(folder / "s");
        ASSERT_TRUE(back);
        EXPECT_EQ(back->size(), text.size());
        EXPECT_TRUE(std::equal(back->begin(), back->end(), bytesOf(text).begin()));
    }
}

TEST(Sealed, FilesOfOthersAndChangedOnesAreRefused) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeSealed(folder / "s", bytesOf("what was counted")));
    const std::string whole = test::readText(folder / "s");
    for (std::size_t i = 0; i < whole.size(); i += 5) {
        std::string changed = whole;
        changed[i] = static_cast<char>(changed[i] ^ 1);
        test::writeText(folder / "s", changed);
        const auto back = readSealed(folder / "s");
        ASSERT_FALSE(back) << i;
        EXPECT_EQ(back.error().code, ErrorCode::Forbidden);
    }
    for (const std::string& text : {std::string(), whole.substr(1), whole + "x"}) {
        test::writeText(folder / "s", text);
        EXPECT_FALSE(readSealed(folder / "s"));
    }
}

TEST(Sealed, TheKeyIsTheUsersAlone) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeSealed(folder / "s", bytesOf("x")));
    const char* data = std::getenv("XDG_DATA_HOME");
    const std::filesystem::path file =
        data && *data == '/'
            ? std::filesystem::path(data) / "flentro/seal.key"
            : std::filesystem::path(std::getenv("HOME")) / ".local/share/flentro/seal.key";
    struct stat status {};
    if (::stat(file.c_str(), &status) != 0) GTEST_SKIP() << "this user has no place to keep it";
    EXPECT_EQ(status.st_mode & 077U, 0U);
    EXPECT_EQ(status.st_size, 32);
}

}  // namespace
}  // namespace flentro
