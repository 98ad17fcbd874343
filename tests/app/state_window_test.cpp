// What the window keeps, what it says while it counts, and what it never does: lose work, write
// over a project, or show figures of something else.

#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <QTableWidget>
#include <random>
#include <thread>

#include "app/window_fixture.h"
#include "base/index.h"
#include "base/json.h"
#include "fixes/culling/culling.h"
#include "fixes/ladder/ladder.h"

namespace flentro::app {
namespace {

using testing::Not;

class State : public Window {
protected:
    /// A market of its own that can be written anew.
    void openLive() {
        made_ = demo::makeOttermere({0.2, 0.15, 16}, 1).scene;
        live_ = (folder_ / "live.glb").string();
        ASSERT_TRUE(writeGltf(made_, live_, {}, noProgress()));
        window_->open(QString::fromStdString(live_));
        ASSERT_TRUE(settle());
        ASSERT_TRUE(window_->document().hasScene());
    }
    /// Writes the live file anew without its first top node; waits until it is read.
    void dropFirstNode() {
        const ScenePtr before = window_->document().source();
        made_.scenes[0]["nodes"].erase(std::size_t{0});
        ASSERT_TRUE(writeGltf(made_, live_, {}, noProgress()));
        ASSERT_TRUE(
            QTest::qWaitFor([&] { return window_->document().source() != before; }, kPatience));
        ASSERT_TRUE(settle());
    }
    [[nodiscard]] const Object& object(int index) {
        return elementOf(window_->document().source()->objects, index);
    }

    Scene made_;
    std::string live_;
};

TEST_F(State, AReadAgainKeepsUndoSelectionAndWhatIf) {
    openLive();
    addFix("culling");
    Document& document = window_->document();
    const int last = static_cast<int>(document.source()->objects.size()) - 1;
    const std::string selected = object(last).name;
    const std::string off = object(last - 1).name;
    document.selection().selectObject(last);
    document.switchOff({static_cast<std::size_t>(last - 1)});
    ASSERT_TRUE(settle());
    const int undoable = document.projectModel().undoStack().count();
    QSignalSpy told(&document, &Document::readAgain);
    dropFirstNode();
    EXPECT_EQ(told.count(), 1);
    ASSERT_GE(document.selection().object(), 0);
    EXPECT_LT(document.selection().object(), last) << "the object has another number now";
    EXPECT_EQ(object(document.selection().object()).name, selected);
    std::vector<std::string> switchedOff;
    for (std::size_t i = 0; i < document.selection().without().objects.size(); ++i)
        if (document.selection().without().objects[i])
            switchedOff.push_back(document.source()->objects[i].name);
    EXPECT_THAT(switchedOff, testing::ElementsAre(off));
    EXPECT_EQ(document.projectModel().undoStack().count(), undoable);
    EXPECT_TRUE(document.projectModel().isModified());
    document.projectModel().undoStack().undo();
    EXPECT_TRUE(document.project().order.fixes.empty());
    ASSERT_TRUE(settle());
}

TEST_F(State, ATruncatedFileKeepsTheSceneAndIsReadOnceItIsWhole) {
    openLive();
    const ScenePtr before = window_->document().source();
    const std::string whole = test::readText(live_);
    test::writeText(live_, whole.substr(0, whole.size() / 2));
    ASSERT_TRUE(QTest::qWaitFor([&] { return !failure_.empty(); }, kPatience));
    EXPECT_EQ(window_->document().source(), before);
    failure_.clear();
    dropFirstNode();
    EXPECT_NE(window_->document().source(), before);
}

TEST_F(State, AMissingSceneLeavesTheOtherProjectsFileAlone) {
    openMarket();
    addFix("culling");
    const std::string first = (folder_ / "first.flentro.json").string();
    window_->document().saveProject(QString::fromStdString(first));
    // Another project whose scene is gone.
    Json other = Json::parse(test::readText(first));
    other["scene"] = "gone.glb";
    other["survey"] = {{"spacing", 3}};
    const std::string second = (folder_ / "second.flentro.json").string();
    test::writeText(second, other.dump());
    const std::string before = test::readText(second);
    window_->open(QString::fromStdString(second));
    ASSERT_TRUE(settle());
    EXPECT_FALSE(failure_.empty());
    EXPECT_EQ(window_->document().projectModel().file().toStdString(), first);
    window_->document().saveProject(window_->document().projectModel().file());
    EXPECT_EQ(test::readText(second), before);
}

TEST_F(State, ExportWaitsForTheOrderAndNeverWritesAnOlderResult) {
    openMarket();
    QSignalSpy done(&window_->document(), &Document::exported);
    WorkOrder order;
    CullingSettings culling;
    culling.farPlane = 40;
    order.add(culling);
    window_->document().projectModel().setOrder(order, "Add culling");
    EXPECT_FALSE(window_->document().evaluator().isCurrent());
    window_->document().exportResult(QString::fromStdString((folder_ / "out.glb").string()), {});
    ASSERT_TRUE(QTest::qWaitFor([&] { return done.count() == 1; }, kPatience));
    ASSERT_TRUE(settle());
    const Json manifest = Json::parse(test::readText(folder_ / "out.manifest.json"));
    EXPECT_THAT(manifest.dump(), HasSubstr("culling"));
    const Scene back = readGltf(folder_ / "out.glb", noProgress()).value();
    double farthest = 0;
    for (const Object& object : back.objects)
        if (std::isfinite(object.culling.end)) farthest = std::max(farthest, object.culling.end);
    EXPECT_GT(farthest, 0) << "the distances of the new order";
}

TEST_F(State, ExportOfAStoppedOrderWorksItOutFirst) {
    openMarket();
    WorkOrder order;
    order.add(LadderSettings{});
    window_->document().projectModel().setOrder(order, "Add ladder");
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->document().jobs().isRunning(); }, kPatience));
    window_->document().jobs().cancel();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(window_->document().isOrderStopped());
    // Stopped again while the export waits: nothing is written, and that is said.
    const std::string file = (folder_ / "out.glb").string();
    window_->document().exportResult(QString::fromStdString(file), {});
    window_->document().jobs().cancel();
    ASSERT_TRUE(settle());
    EXPECT_THAT(failure_, HasSubstr("out.glb"));
    EXPECT_FALSE(std::filesystem::exists(file));
    failure_.clear();
    window_->document().exportResult(QString::fromStdString(file), {});
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return std::filesystem::exists(folder_ / "out.manifest.json"); }, kPatience));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->document().evaluator().isCurrent());
    std::size_t levels = 0;
    const Scene back = readGltf(file, noProgress()).value();
    for (const Asset& asset : back.assets) levels += asset.ladder.levels.size();
    EXPECT_GT(levels, 0U);
}

TEST_F(State, NothingIsSaidOfWhatIsNotCountedYet) {
    openMarket();
    const auto railSays = [&] {
        return window_->rail().button(WorkStep::Proof)->accessibleDescription().toStdString();
    };
    EXPECT_EQ(window_->document().counter().freshness(), ViewCounter::Freshness::Current);
    EXPECT_THAT(railSays(), Not(HasSubstr("counting")));
    WorkOrder order;
    order.add(LadderSettings{});
    window_->document().projectModel().setOrder(order, "Add ladder");
    EXPECT_EQ(window_->document().counter().freshness(), ViewCounter::Freshness::Original);
    EXPECT_THAT(railSays(), HasSubstr("counting"));
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().counter().freshness(), ViewCounter::Freshness::Current);
    EXPECT_THAT(railSays(), Not(HasSubstr("counting")));
}

TEST_F(State, DayAndNightChangeColoursOnly) {
    openMarket();
    window_->document().selection().selectObject(3);
    window_->document().switchOff({2});
    ASSERT_TRUE(settle());
    Viewpoint view = window_->document().view();
    view.heading += 40;
    window_->view().goTo(view);
    ASSERT_TRUE(settle());
    QSignalSpy changed(&window_->document(), &Document::sceneChanged);
    QTest::keyClick(window_.get(), Qt::Key_D, Qt::ControlModifier);
    ASSERT_TRUE(settle());
    EXPECT_EQ(changed.count(), 0);
    EXPECT_EQ(window_->document().selection().object(), 3);
    EXPECT_EQ(window_->document().selection().without().count(), 1U);
    QTest::keyClick(window_.get(), Qt::Key_B);
    EXPECT_NEAR(window_->document().view().heading, view.heading - 40, 1e-9)
        << "the way back is still known";
    ASSERT_TRUE(settle());
}

TEST_F(State, StepKeysWorkFromWithinATable) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    ASSERT_TRUE(settle());
    QTableWidget* table = nullptr;
    for (auto* candidate : window_->findChildren<QTableWidget*>())
        if (candidate->isVisible() && candidate->rowCount() > 0) table = candidate;
    ASSERT_NE(table, nullptr);
    table->setFocus();
    QTest::keyClick(table, Qt::Key_4);
    EXPECT_EQ(window_->step(), WorkStep::Fixes);
    QTest::keyClick(window_->focusWidget() ? window_->focusWidget() : window_.get(), Qt::Key_1);
    EXPECT_EQ(window_->step(), WorkStep::Target);
    // In a field they are digits.
    auto* field = find<QDoubleSpinBox>("Triangles");
    field->setFocus();
    field->selectAll();
    QTest::keyClick(field, Qt::Key_5);
    QTest::keyClick(field, Qt::Key_Return);
    EXPECT_EQ(window_->step(), WorkStep::Target);
    EXPECT_DOUBLE_EQ(field->value(), 5);
    ASSERT_TRUE(settle());
}

TEST_F(State, TheStartPageLeadsToFilesDoneBefore) {
    auto* page = find<QWidget>("Start");
    ASSERT_TRUE(page->isVisible());
    EXPECT_NE(button("Open a scene ..."), nullptr);
    openMarket();
    EXPECT_FALSE(page->isVisible());
    window_ = std::make_unique<MainWindow>();
    window_->show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(window_.get(), kPatience));
    ASSERT_NE(button("market.glb"), nullptr);
    button("market.glb")->click();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->document().hasScene());
}

// --- a window that is killed --------------------------------------------------------------

/// What a killed window left in its state folder, offered to the next one.
class KilledWindow : public State {
protected:
    void SetUp() override {
        before_ = qgetenv("XDG_STATE_HOME");
        const QByteArray given = qgetenv("FLENTRO_TEST_STATE");
        qputenv("XDG_STATE_HOME",
                given.isEmpty() ? QByteArray::fromStdString((folder_ / "state").string()) : given);
        State::SetUp();
    }
    void TearDown() override {
        State::TearDown();
        qputenv("XDG_STATE_HOME", before_);
    }

    QByteArray before_;
};

TEST_F(KilledWindow, UnsavedChangesAreOfferedAndTaken) {
    openMarket();
    surveyCoarsely();
    addFix("culling");
    const std::string file = (folder_ / "p.flentro.json").string();
    window_->document().saveProject(QString::fromStdString(file));
    addFix("tidy");
    ASSERT_TRUE(window_->document().projectModel().isModified());
    // The journal of a process that is gone: as a killed window leaves it.
    const std::filesystem::path state = Journal::folder().toStdString();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return std::filesystem::exists(state) && !std::filesystem::is_empty(state); },
        kPatience));
    const std::filesystem::path mine = std::filesystem::directory_iterator(state)->path();
    const std::string journal = test::readText(mine);
    EXPECT_TRUE(Journal::leftBehind().empty()) << "this window still runs";
    const pid_t child = ::fork();
    if (child == 0) ::_exit(0);
    ::waitpid(child, nullptr, 0);
    std::string name = mine.filename().string();
    const std::string own = std::to_string(::getpid());
    ASSERT_NE(name.find(own), std::string::npos);
    name.replace(name.find(own), own.size(), std::to_string(child));
    window_->document().projectModel().undoStack().setClean();
    window_.reset();
    EXPECT_FALSE(std::filesystem::exists(mine)) << "a window that closes leaves nothing";
    test::writeText(state / name, journal);

    window_ = std::make_unique<MainWindow>();
    window_->show();
    ASSERT_TRUE(QTest::qWaitForWindowExposed(window_.get(), kPatience));
    window_->offerRecovery();
    button("Recover")->click();
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().project().order.fixes.size(), 2U);
    EXPECT_EQ(window_->document().projectModel().file().toStdString(), file);
    EXPECT_TRUE(window_->document().projectModel().isModified())
        << "it is not in the project's file yet";
    EXPECT_TRUE(Journal::leftBehind().empty());
    EXPECT_TRUE(QTest::qWaitFor([&] { return window_->document().survey().surveyed().exists(); },
                                3 * kPatience))
        << "fixes go by the survey again";
    ASSERT_TRUE(settle());
    EXPECT_EQ(Json::parse(test::readText(file))["workOrder"]["fixes"].size(), 1U);
}

/// The window that the next test kills: it changes and saves its project until then.
TEST_F(KilledWindow, DISABLED_ChangesAndSavesUntilItIsKilled) {
    const QString file = qEnvironmentVariable("FLENTRO_TEST_PROJECT");
    window_->open(file);
    ASSERT_TRUE(settle());
    for (int i = 0;; ++i) {
        window_->document().projectModel().setSpots(
            {{"spot " + std::to_string(i), {{1, 2, 3}, 40, 0}}}, "Spot");
        QTest::qWait(i == 0 ? 1300 : 5);  // the journal is written a second after a change
        if (i == 0) test::writeText(file.toStdString() + ".ready", "");
        if (i % 2 == 1) window_->document().saveProject(file);
    }
}

TEST_F(KilledWindow, NeverDamagesAProjectWhateverTheMoment) {
    openMarket();
    addFix("culling");
    const std::string file = (folder_ / "p.flentro.json").string();
    window_->document().saveProject(QString::fromStdString(file));
    std::minstd_rand random(7);
    for (int run = 0; run < 4; ++run) {
        std::filesystem::remove(file + ".ready");
        const pid_t child = ::fork();
        if (child == 0) {
            ::setenv("FLENTRO_TEST_PROJECT", file.c_str(), 1);
            ::setenv("FLENTRO_TEST_STATE", (folder_ / "state").c_str(), 1);
            ::execl("/proc/self/exe", "flentro_app_tests", "--gtest_also_run_disabled_tests",
                    "--gtest_filter=*DISABLED_ChangesAndSavesUntilItIsKilled", nullptr);
            ::_exit(96);
        }
        const bool ready = QTest::qWaitFor([&] { return std::filesystem::exists(file + ".ready"); },
                                           2 * kPatience);
        std::this_thread::sleep_for(std::chrono::microseconds(random() % 200'000));
        ::kill(child, SIGKILL);
        ::waitpid(child, nullptr, 0);
        ASSERT_TRUE(ready);
        const auto saved = loadProject(file);
        ASSERT_TRUE(saved) << describe(saved.error());
        EXPECT_EQ(saved->order.fixes.size(), 1U);
        // At most what was done since the last save is left behind, and it can be read.
        for (const LeftBehind& left : Journal::leftBehind()) {
            EXPECT_EQ(left.projectFile.toStdString(), file);
            EXPECT_EQ(left.project.spots.size(), 1U);
            Journal::discard(left);
        }
    }
}

}  // namespace
}  // namespace flentro::app
