// Files that change on disk: written to, replaced, gone and back.

#include "model/file_watch.h"

#include <gtest/gtest.h>

#include <QSignalSpy>
#include <QTest>

#include "support/process.h"

namespace flentro::app {
namespace {

constexpr int kPatience = 20'000;  ///< Milliseconds.

class Watched : public testing::Test {
protected:
    Watched() {
        test::writeText(scene_, "scene");
        test::writeText(buffer_, "buffer");
        watch_.watch({scene_, buffer_});
    }
    /// Waits for the next sign.
    bool isTold() {
        const bool told = spy_.count() > 0 || spy_.wait(kPatience);
        spy_.clear();
        return told;
    }
    /// True if nothing is told although it looks.
    bool isQuiet() {
        spy_.clear();
        watch_.lookSoon();
        QTest::qWait(900);
        return spy_.count() == 0;
    }

    test::TemporaryFolder folder_;
    const std::filesystem::path scene_ = folder_ / "a.gltf";
    const std::filesystem::path buffer_ = folder_ / "a.bin";
    FileWatch watch_;
    QSignalSpy spy_{&watch_, &FileWatch::changed};
};

TEST_F(Watched, WritingToAnyOfThemIsTold) {
    EXPECT_TRUE(isQuiet());
    test::writeText(buffer_, "another buffer");
    EXPECT_TRUE(isTold());
}

TEST_F(Watched, ReplacingOneIsToldAgainAndAgain) {
    for (int i = 0; i < 3; ++i) {
        test::writeText(folder_ / "new", "scene of run " + std::string(i + 1, '+'));
        std::filesystem::rename(folder_ / "new", scene_);
        EXPECT_TRUE(isTold()) << i;
        watch_.setKnown(watch_.stamps());
    }
}

TEST_F(Watched, WhatIsKnownIsNotTold) {
    test::writeText(scene_, "a longer scene");
    EXPECT_TRUE(isTold());
    EXPECT_NE(watch_.stamps(), watch_.known());
    watch_.setKnown(watch_.stamps());
    EXPECT_TRUE(isQuiet());
}

TEST_F(Watched, OneThatIsGoneIsToldAndSoIsItsReturn) {
    std::filesystem::remove(buffer_);
    EXPECT_TRUE(isTold());
    watch_.setKnown(watch_.stamps());
    test::writeText(buffer_, "buffer");
    EXPECT_TRUE(isTold());
}

TEST_F(Watched, OthersInTheFolderDoNotCount) {
    test::writeText(folder_ / "notes.txt", "nothing of ours");
    QTest::qWait(900);
    EXPECT_EQ(spy_.count(), 0);
    watch_.watch({scene_});
    test::writeText(buffer_, "no longer watched");
    EXPECT_TRUE(isQuiet());
}

}  // namespace
}  // namespace flentro::app
