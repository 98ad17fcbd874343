#include "model/jobs.h"

#include <gtest/gtest.h>

#include <QTest>
#include <thread>

#include "widgets/theme.h"

namespace flentro::app {
namespace {

bool wait(const std::function<bool()>& done) {
    return QTest::qWaitFor(done, 20'000);
}

TEST(JobRunner, HandsItsResultBackOnTheInterfaceThread) {
    JobRunner jobs;
    const auto here = std::this_thread::get_id();
    std::thread::id worked, finished;
    jobs.start("Work", [&](Progress& progress) -> JobRunner::Finish {
        worked = std::this_thread::get_id();
        progress.report(0.5, "half");
        return [&] { finished = std::this_thread::get_id(); };
    });
    EXPECT_TRUE(jobs.isRunning());
    ASSERT_TRUE(wait([&] { return !jobs.isRunning(); }));
    EXPECT_NE(worked, here);
    EXPECT_EQ(finished, here);
}

TEST(JobRunner, NewerJobOfTheSameNameReplacesTheOld) {
    JobRunner jobs;
    std::vector<int> finished;
    const auto work = [&](int number) {
        return [&, number](Progress& progress) -> JobRunner::Finish {
            for (int i = 0; i < 2000 && number == 1 && !progress.cancelled(); ++i)
                std::this_thread::sleep_for(std::chrono::milliseconds(5));
            return [&finished, number] { finished.push_back(number); };
        };
    };
    jobs.start("Same", work(1));
    jobs.start("Same", work(2));
    jobs.start("Same", work(3));
    ASSERT_TRUE(wait([&] { return !jobs.isRunning(); }));
    EXPECT_EQ(finished, std::vector<int>{3}) << "the first was cancelled, the second never began";
}

TEST(JobRunner, JobsOfOtherNamesWaitTheirTurn) {
    JobRunner jobs;
    std::vector<int> finished;
    for (int i = 0; i < 3; ++i)
        jobs.start(QString::number(i), [&, i](Progress&) -> JobRunner::Finish {
            return [&finished, i] { finished.push_back(i); };
        });
    ASSERT_TRUE(wait([&] { return finished.size() == 3; }));
    EXPECT_EQ(finished, (std::vector<int>{0, 1, 2}));
}

TEST(JobRunner, CancelReachesTheWorkAndLeavesWhatWaits) {
    JobRunner jobs;
    std::atomic<bool> saw = false;
    bool second = false;
    jobs.start("Long", [&](Progress& progress) -> JobRunner::Finish {
        while (!progress.cancelled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
        saw = true;
        return {};
    });
    jobs.start("Next", [&](Progress&) -> JobRunner::Finish { return [&] { second = true; }; });
    jobs.cancel();
    ASSERT_TRUE(wait([&] { return !jobs.isRunning(); }));
    EXPECT_TRUE(saw);
    EXPECT_TRUE(second) << "cancelling one job must not drop the others";
}

TEST(JobRunner, LanesRunSideBySide) {
    JobRunner jobs;
    std::atomic<bool> ordered = false;
    bool surveyed = false;
    jobs.start(
        "Survey",
        [&](Progress& progress) -> JobRunner::Finish {
            while (!ordered && !progress.cancelled())
                std::this_thread::sleep_for(std::chrono::milliseconds(1));
            return [&] { surveyed = ordered; };
        },
        Lane::Survey);
    jobs.start(
        "Order", [&](Progress&) -> JobRunner::Finish { return [&] { ordered = true; }; },
        Lane::Order);
    ASSERT_TRUE(wait([&] { return !jobs.isRunning(); }));
    EXPECT_TRUE(surveyed) << "an order is evaluated while a survey runs";
}

TEST(JobRunner, WhatAJobThrowsIsToldAndTheNextJobRuns) {
    JobRunner jobs;
    QStringList told;
    QObject::connect(&jobs, &JobRunner::failed, [&](const QString& text) { told << text; });
    bool next = false;
    jobs.start("Bad", [](Progress&) -> JobRunner::Finish { throw std::bad_alloc(); });
    jobs.start("Worse", [](Progress&) -> JobRunner::Finish {
        return [] { throw std::runtime_error("odd data"); };
    });
    jobs.start("Good", [&](Progress&) -> JobRunner::Finish { return [&] { next = true; }; });
    ASSERT_TRUE(wait([&] { return !jobs.isRunning() && next; }));
    ASSERT_EQ(told.size(), 2);
    EXPECT_TRUE(told[0].startsWith("Bad: there is not enough memory")) << told[0].toStdString();
    EXPECT_TRUE(told[1].contains("odd data")) << told[1].toStdString();
}

TEST(JobRunner, ClosingCancelsInsteadOfWaiting) {
    std::atomic<bool> stopped = false;
    QElapsedTimer clock;
    {
        JobRunner jobs;
        jobs.start("Endless", [&](Progress& progress) -> JobRunner::Finish {
            while (!progress.cancelled()) std::this_thread::sleep_for(std::chrono::milliseconds(1));
            stopped = true;
            return {};
        });
        clock.start();
    }
    EXPECT_TRUE(stopped);
    EXPECT_LT(clock.elapsed(), 5000);
}

TEST(LatestRunner, WhatItThrowsIsTold) {
    LatestRunner runner;
    int told = 0;
    bool next = false;
    QObject::connect(&runner, &LatestRunner::failed, [&] { ++told; });
    runner.request([]() -> std::function<void()> { throw std::runtime_error("odd"); });
    runner.request([&]() -> std::function<void()> { return [&] { next = true; }; });
    ASSERT_TRUE(wait([&] { return runner.isIdle() && next; }));
    EXPECT_EQ(told, 1);
}

TEST(LatestRunner, OnlyTheLastOfManyRequestsIsComputed) {
    LatestRunner runner;
    int computed = 0;
    int last = -1;
    for (int i = 0; i < 50; ++i)
        runner.request([&, i]() -> std::function<void()> {
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
            return [&, i] {
                ++computed;
                last = i;
            };
        });
    ASSERT_TRUE(wait([&] { return runner.isIdle() && last == 49; }));
    EXPECT_LE(computed, 2);
}

TEST(Theme, HeatRunsFromBlueOverPaperToPlum) {
    EXPECT_EQ(heat(0), theme().within);
    EXPECT_EQ(heat(1), theme().over);
    EXPECT_GT(heat(0.5).lightness(), 230);
    EXPECT_EQ(heat(-3), heat(0));
    EXPECT_EQ(heat(7), heat(1));
}

TEST(Theme, StatesDifferInShapeNotOnlyInColour) {
    std::vector<QImage> marks;
    for (const State state : {State::Within, State::Near, State::Over}) {
        QImage image(24, 24, QImage::Format_ARGB32);
        image.fill(Qt::black);
        QPainter painter(&image);
        paintStateMark(painter, {12, 12}, 6, state);
        painter.end();
        QImage mask(24, 24, QImage::Format_ARGB32);
        for (int y = 0; y < 24; ++y)
            for (int x = 0; x < 24; ++x)
                mask.setPixel(x, y,
                              qGray(image.pixel(x, y)) > 40 ? qRgb(255, 255, 255) : qRgb(0, 0, 0));
        for (const QImage& other : marks) EXPECT_NE(mask, other);
        marks.push_back(mask);
    }
}

}  // namespace
}  // namespace flentro::app
