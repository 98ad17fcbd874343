// The real window under a virtual screen, with mouse and keys.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <QApplication>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QElapsedTimer>
#include <QMimeData>
#include <QScrollArea>
#include <QSettings>
#include <QSignalSpy>
#include <QTabBar>
#include <QTest>
#include <QToolButton>

#include "io/gltf.h"
#include "main_window.h"
#include "ottermere.h"
#include "support/process.h"

namespace flentro::app {
namespace {

using testing::HasSubstr;

constexpr int kPatience = 20'000;  ///< Milliseconds; software rendering under sanitizers is slow.

/// A small market on disk, made once.
const std::string& marketFile() {
    static const test::TemporaryFolder folder;
    static const std::string file = [] {
        const demo::Ottermere made = demo::makeOttermere({0.2, 0.15, 16}, 1);
        const std::string path = (folder / "market.glb").string();
        EXPECT_TRUE(writeGltf(made.scene, path, {}, noProgress()));
        return path;
    }();
    return file;
}

class Window : public testing::Test {
protected:
    void SetUp() override {
        QSettings().clear();
        setSheet(*qApp, Sheet::Night);
        window_ = std::make_unique<MainWindow>();
        QObject::connect(&window_->document(), &Document::failed,
                         [this](const QString& message) { failure_ = message.toStdString(); });
        window_->show();
        ASSERT_TRUE(QTest::qWaitForWindowExposed(window_.get(), kPatience));
        window_->raise();
        window_->activateWindow();
        ASSERT_TRUE(QTest::qWaitFor([&] { return QApplication::activeWindow() == window_.get(); },
                                    kPatience));
    }
    void TearDown() override {
        window_->document().undoStack().setClean();
        window_.reset();
    }

    bool settle() {
        int calm = 0;
        const bool settled = QTest::qWaitFor(
            [&] { return (calm = window_->isSettled() ? calm + 1 : 0) > 3; }, kPatience);
        EXPECT_TRUE(settled) << "document " << window_->document().isSettled() << ", view "
                             << window_->view().isSettled() << ", job "
                             << window_->document().jobs().name().toStdString() << ", failure "
                             << failure_;
        return settled;
    }
    void openMarket() {
        window_->open(QString::fromStdString(marketFile()));
        ASSERT_TRUE(settle());
        ASSERT_TRUE(window_->document().hasScene());
    }
    void addFix(const char* key) {
        window_->showStep(WorkStep::Fixes);
        window_->fixes().addOrShow(key, "");
        ASSERT_TRUE(settle());
    }
    template <typename T>
    T* find(const QString& accessibleName, QWidget* in = nullptr) {
        for (T* widget : (in ? in : window_.get())->findChildren<T*>())
            if (widget->accessibleName() == accessibleName) return widget;
        ADD_FAILURE() << "no " << accessibleName.toStdString();
        return nullptr;
    }
    QPushButton* button(const QString& text) {
        for (QPushButton* candidate : window_->findChildren<QPushButton*>())
            if (candidate->text() == text && candidate->isVisible()) return candidate;
        ADD_FAILURE() << "no button " << text.toStdString();
        return nullptr;
    }
    void click(QWidget* widget, const QPoint& at) {
        QTest::mouseClick(widget, Qt::LeftButton, Qt::NoModifier, at);
    }
    void key(int code) { QTest::keyClick(&window_->view(), static_cast<Qt::Key>(code)); }
    [[nodiscard]] double here(Measure measure) {
        return at(window_->document().here().after.counts, measure);
    }
    /// Share of the 3D view's pixels that are not the empty ground.
    double drawnShare() {
        const QImage image = window_->view().grabFramebuffer();
        const QRgb ground = theme().scene.rgb();
        int drawn = 0;
        for (int y = 0; y < image.height(); y += 4)
            for (int x = 0; x < image.width(); x += 4) drawn += image.pixel(x, y) != ground;
        return 16.0 * drawn / (image.width() * image.height());
    }

    std::unique_ptr<MainWindow> window_;
    std::string failure_;
    test::TemporaryFolder folder_;
};

TEST_F(Window, StartsEmptyAndSaysWhatToDo) {
    EXPECT_FALSE(window_->document().hasScene());
    EXPECT_EQ(window_->step(), WorkStep::Target);
    EXPECT_EQ(window_->windowTitle(), "Flentro");
    EXPECT_LT(drawnShare(), 0.01);
}

TEST_F(Window, OpensASceneAndDrawsIt) {
    openMarket();
    EXPECT_GT(drawnShare(), 0.6) << "the sky lies beyond the far plane of this target";
    EXPECT_THAT(window_->windowTitle().toStdString(), HasSubstr("market"));
    EXPECT_GT(here(Measure::Triangles), 1000);
    EXPECT_GT(window_->view().frameTriangles(), 1000U);
    EXPECT_EQ(QSettings().value("recent").toStringList().value(0).toStdString(), marketFile());
}

TEST_F(Window, StartsAtTheFirstCameraOfTheScene) {
    openMarket();
    EXPECT_TRUE(window_->document().view().eye.isApprox(demo::quayView().eye, 1e-4));
    EXPECT_NEAR(window_->document().view().heading, demo::quayView().heading, 0.1);
}

TEST_F(Window, BrokenFileIsExplainedAndHarmless) {
    openMarket();
    test::writeText(folder_ / "broken.glb", "glTF, but not for long");
    QSignalSpy failures(&window_->document(), &Document::failed);
    window_->open(QString::fromStdString((folder_ / "broken.glb").string()));
    ASSERT_TRUE(settle());
    ASSERT_EQ(failures.count(), 1);
    EXPECT_THAT(failures[0][0].toString().toStdString(), HasSubstr("broken.glb"));
    EXPECT_TRUE(window_->document().hasScene()) << "the scene before stays";
}

TEST_F(Window, NumberKeysChangeTheStep) {
    for (int i = 0; i < kStepCount; ++i) {
        QTest::keyClick(window_.get(), static_cast<Qt::Key>(Qt::Key_1 + i));
        EXPECT_EQ(static_cast<int>(window_->step()), i);
        EXPECT_TRUE(window_->rail().button(static_cast<WorkStep>(i))->isChecked());
    }
    window_->rail().button(WorkStep::Findings)->click();
    EXPECT_EQ(window_->step(), WorkStep::Findings);
}

TEST_F(Window, CountersFollowTheView) {
    openMarket();
    const double before = here(Measure::Triangles);
    Viewpoint view = window_->document().view();
    view.eye = Vec3d(0, 1.7, 400);
    view.heading = 180;
    window_->view().goTo(view);
    ASSERT_TRUE(settle());
    EXPECT_LT(here(Measure::Triangles), before);
    key(Qt::Key_B);
    ASSERT_TRUE(settle());
    EXPECT_DOUBLE_EQ(here(Measure::Triangles), before) << "back to the previous viewpoint";
}

TEST_F(Window, WalkingKeysMoveAtEyeHeight) {
    openMarket();
    const Viewpoint before = window_->document().view();
    QTest::keyPress(&window_->view(), Qt::Key_W);
    QTest::qWait(250);
    QTest::keyRelease(&window_->view(), Qt::Key_W);
    const Viewpoint after = window_->document().view();
    EXPECT_DOUBLE_EQ(after.eye.y(), before.eye.y());
    const Vec3d moved = after.eye - before.eye;
    EXPECT_GT(moved.norm(), 0.05);
    EXPECT_GT(moved.normalized().dot(lookDirection(before.heading, 0)), 0.99);
    const Vec3d rest = window_->document().view().eye;
    QTest::qWait(120);
    EXPECT_EQ(window_->document().view().eye, rest) << "stops with the key";
}

TEST_F(Window, DraggingTurnsAroundThePointUnderThePointer) {
    openMarket();
    View3D& view = window_->view();
    const QPoint from(view.width() / 2, view.height() * 3 / 4);
    const Viewpoint before = window_->document().view();
    QTest::mousePress(&view, Qt::LeftButton, Qt::NoModifier, from);
    QTest::mouseMove(&view, from + QPoint(40, 0));
    QMouseEvent move(QEvent::MouseMove, QPointF(from + QPoint(40, 0)),
                     view.mapToGlobal(QPointF(from + QPoint(40, 0))), Qt::LeftButton,
                     Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&view, &move);
    QTest::mouseRelease(&view, Qt::LeftButton, Qt::NoModifier, from + QPoint(40, 0));
    EXPECT_NE(window_->document().view().heading, before.heading);
    EXPECT_GT((window_->document().view().eye - before.eye).norm(), 0.01);
    EXPECT_EQ(window_->document().selectedObject(), -1) << "a drag selects nothing";
}

TEST_F(Window, ClickSelectsTheObjectUnderThePointer) {
    openMarket();
    View3D& view = window_->view();
    click(&view, {view.width() / 2, view.height() - 40});
    const int selected = window_->document().selectedObject();
    ASSERT_GE(selected, 0);
    EXPECT_EQ(window_->document().source()->objects[static_cast<std::size_t>(selected)].name,
              "quay");
    const Viewpoint before = window_->document().view();
    key(Qt::Key_L);
    EXPECT_NE(window_->document().view().eye, before.eye) << "L looks at the selection";
}

TEST_F(Window, DoubleClickStandsThere) {
    openMarket();
    View3D& view = window_->view();
    const Vec3d before = window_->document().view().eye;
    QTest::mouseDClick(&view, Qt::LeftButton, Qt::NoModifier,
                       {view.width() / 2, view.height() - 40});
    const Vec3d after = window_->document().view().eye;
    EXPECT_GT((after - before).norm(), 0.3);
    EXPECT_NEAR(after.y(), 1.7, 0.1);
}

TEST_F(Window, WheelGoesTowardThePointer) {
    openMarket();
    View3D& view = window_->view();
    const QPointF at(view.width() / 2.0, view.height() - 60.0);
    const double before = window_->document().view().eye.y();
    QWheelEvent wheel(at, view.mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier,
                      Qt::NoScrollPhase, false);
    QApplication::sendEvent(&view, &wheel);
    EXPECT_LT(window_->document().view().eye.y(), before) << "the pointer was on the ground";
}

TEST_F(Window, EveryLensDrawsItsOwnPictureWithALegend) {
    openMarket();
    std::vector<QImage> pictures;
    for (int i = 0; i < kLensCount; ++i) {
        const auto kind = static_cast<LensKind>(i);
        if (kind == LensKind::Seen) continue;  // has nothing to tell before a survey
        window_->view().setLens(kind);
        ASSERT_TRUE(settle());
        const QImage picture = window_->view().grabFramebuffer();
        for (const QImage& other : pictures)
            EXPECT_NE(picture, other) << lensName(kind).toStdString();
        pictures.push_back(picture);
        const auto legend =
            legendFor(kind, *window_->document().result(), window_->document().here().after,
                      seenStates(window_->document()));
        EXPECT_EQ(legend.empty(), kind == LensKind::Shaded || kind == LensKind::Wireframe);
        EXPECT_FALSE(lensHelp(kind).isEmpty());
    }
}

TEST_F(Window, PickingATargetCanBeUndone) {
    openMarket();
    const std::string before = window_->document().target().name;
    auto* picker = find<QComboBox>("Target");
    picker->setCurrentIndex(0);
    emit picker->activated(0);
    EXPECT_EQ(window_->document().target().name, "Palm 30");
    EXPECT_EQ(window_->document().undoStack().undoText(), "Target Palm 30");
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
    EXPECT_EQ(window_->document().target().name, before);
    QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
    EXPECT_EQ(window_->document().target().name, "Palm 30");
    ASSERT_TRUE(settle());
}

TEST_F(Window, EditingALimitChangesTheLoad) {
    openMarket();
    auto* field = find<QDoubleSpinBox>("Triangles");
    field->setValue(1234);
    EXPECT_DOUBLE_EQ(at(window_->document().target().limits, Measure::Triangles), 1234);
    EXPECT_TRUE(window_->document().isModified());
    ASSERT_TRUE(settle());
    EXPECT_THAT(find<QWidget>("Load board")->accessibleDescription().toStdString(),
                HasSubstr("of 1"));
    window_->document().undoStack().undo();
    EXPECT_NE(field->value(), 1234);
    ASSERT_TRUE(settle());
}

TEST_F(Window, ComparisonShowsEveryShippedTarget) {
    openMarket();
    auto* table = find<QTableWidget>("Comparison of targets");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->item(0, 6) != nullptr; }, kPatience));
    ASSERT_EQ(table->columnCount(), 7);
    const auto loadAt = [&](int column) {
        return table->item(0, column)->text().remove("◆").toDouble();
    };
    EXPECT_GT(loadAt(1), loadAt(6)) << "the weak handheld has the higher load";
}

TEST_F(Window, FindingsRankAndLeadToTheFix) {
    openMarket();
    QTest::keyClick(window_.get(), Qt::Key_3);
    auto* table = find<QTableWidget>("Ranking");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() > 10; }, kPatience));
    auto* filter = find<QLineEdit>("Filter");
    QTest::keyClicks(filter, "bollard");
    ASSERT_EQ(table->rowCount(), 1);
    table->setCurrentCell(0, 0);
    const int selected = window_->document().selectedObject();
    ASSERT_GE(selected, 0);
    EXPECT_THAT(window_->document().source()->objects[static_cast<std::size_t>(selected)].name,
                HasSubstr("bollard"));
    const Viewpoint before = window_->document().view();
    button("Show me")->click();
    EXPECT_NE(window_->document().view().eye, before.eye);
    button("Fix this")->click();
    EXPECT_EQ(window_->step(), WorkStep::Fixes);
    ASSERT_EQ(window_->document().project().order.fixes.size(), 1U);
    EXPECT_STREQ(fixKey(window_->document().project().order.fixes[0].settings), "ladder");
    ASSERT_TRUE(settle());
}

TEST_F(Window, SettingAFindingAsideIsKeptAndUndone) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    auto* table = find<QTableWidget>("Ranking");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() > 10; }, kPatience));
    table->setCurrentCell(0, 0);
    const std::string name = table->item(0, 0)->text().toStdString();
    button("Set aside")->click();
    EXPECT_TRUE(window_->document().project().setAside.contains(name));
    EXPECT_NE(button("Take up again"), nullptr);
    window_->document().undoStack().undo();
    EXPECT_TRUE(window_->document().project().setAside.empty());
    ASSERT_TRUE(settle());
}

TEST_F(Window, FixesLowerTheLoadAndSwitchOff) {
    openMarket();
    const double before = here(Measure::Triangles);
    addFix("ladder");
    const double after = here(Measure::Triangles);
    EXPECT_LT(after, before);
    EXPECT_GT(window_->document().here().steps.size(), 0U);
    const auto cards = window_->fixes().findChildren<FixCard*>();
    ASSERT_EQ(cards.size(), 1);
    cards[0]->box()->click();
    ASSERT_TRUE(settle());
    EXPECT_DOUBLE_EQ(here(Measure::Triangles), before);
    window_->document().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_DOUBLE_EQ(here(Measure::Triangles), after);
}

TEST_F(Window, SelectedFixShowsWhatItWouldBeWithoutIt) {
    openMarket();
    const double before = here(Measure::Triangles);
    addFix("ladder");
    ASSERT_TRUE(settle());
    ASSERT_TRUE(window_->document().here().without);
    EXPECT_DOUBLE_EQ(at(*window_->document().here().without, Measure::Triangles), before);
}

TEST_F(Window, PostsOfTheLadderCanBeDragged) {
    openMarket();
    addFix("ladder");
    window_->fixes().ladder().setAsset("bollard");
    LadderPlot& plot = window_->fixes().ladder().plot();
    ASSERT_FALSE(plot.posts().empty());
    plot.replot();
    const double before = plot.posts()[0];
    const QPoint from = plot.postPixel(0).toPoint();
    QTest::mousePress(&plot, Qt::LeftButton, Qt::NoModifier, from);
    QMouseEvent move(QEvent::MouseMove, QPointF(from - QPoint(20, 0)),
                     plot.mapToGlobal(QPointF(from - QPoint(20, 0))), Qt::LeftButton,
                     Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&plot, &move);
    QTest::mouseRelease(&plot, Qt::LeftButton, Qt::NoModifier, from - QPoint(20, 0));
    const auto& settings =
        std::get<LadderSettings>(window_->document().project().order.fixes[0].settings);
    ASSERT_TRUE(settings.overrides.contains("bollard"));
    EXPECT_LT(settings.overrides.at("bollard").switchDistances[0], before);
    ASSERT_TRUE(settle());
    for (const Asset& asset : window_->document().result()->assets) {
        if (asset.mesh->name != "bollard") continue;
        EXPECT_DOUBLE_EQ(asset.ladder.levels[0].switchDistance,
                         settings.overrides.at("bollard").switchDistances[0]);
    }
    button("Computed distances")->click();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(plot.posts()[0], before, 1e-9);
}

TEST_F(Window, SizeClassesOfTheCullingCanBeDragged) {
    openMarket();
    addFix("culling");
    CullingPlot& plot = window_->fixes().culling().plot();
    plot.replot();
    const double objects = here(Measure::Objects);
    const std::size_t gone = plot.goneCount();
    const QPoint from = plot.classPixel(1).toPoint();
    const QPoint to = from + QPoint(0, 70);
    QTest::mousePress(&plot, Qt::LeftButton, Qt::NoModifier, from);
    QMouseEvent move(QEvent::MouseMove, QPointF(to), plot.mapToGlobal(QPointF(to)), Qt::LeftButton,
                     Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(&plot, &move);
    EXPECT_GT(plot.goneCount(), gone) << "shown while dragging";
    QTest::mouseRelease(&plot, Qt::LeftButton, Qt::NoModifier, to);
    ASSERT_TRUE(settle());
    EXPECT_LT(here(Measure::Objects), objects);
    EXPECT_EQ(window_->document().undoStack().undoText(), "Drag size class");
}

TEST_F(Window, FixesCanBeReorderedAndRemoved) {
    openMarket();
    addFix("tidy");
    addFix("culling");
    auto cards = window_->fixes().findChildren<FixCard*>();
    emit cards.back()->moved(-1);
    EXPECT_EQ(window_->document().project().order.fixes[0].settings.index(), 2U);
    ASSERT_TRUE(settle());
    for (FixCard* card : window_->fixes().findChildren<FixCard*>())
        if (card->isVisible()) {
            emit card->removed();
            break;
        }
    EXPECT_EQ(window_->document().project().order.fixes.size(), 1U);
    ASSERT_TRUE(settle());
}

TEST_F(Window, ProofSwipesBetweenOriginalAndResult) {
    openMarket();
    addFix("culling");
    QTest::keyClick(window_.get(), Qt::Key_5);
    EXPECT_EQ(window_->view().showing(), Showing::Swipe);
    ASSERT_TRUE(settle());
    window_->view().setSwipe(0.25);
    const int x = window_->view().swipeX();
    EXPECT_NEAR(x, window_->view().width() / 4, 1);
    key(Qt::Key_Space);
    EXPECT_EQ(window_->view().showing(), Showing::Original);
    key(Qt::Key_Space);
    EXPECT_EQ(window_->view().showing(), Showing::Result);
    ASSERT_TRUE(settle());
    QTest::keyClick(window_.get(), Qt::Key_1);
    EXPECT_EQ(window_->view().showing(), Showing::Result);
}

TEST_F(Window, ExportWritesTheResultBesideTheSource) {
    openMarket();
    addFix("culling");
    window_->showStep(WorkStep::Proof);
    QSignalSpy done(&window_->document(), &Document::exported);
    window_->proof().exportResult(QString::fromStdString((folder_ / "out.glb").string()));
    ASSERT_TRUE(settle());
    ASSERT_EQ(done.count(), 1);
    EXPECT_TRUE(std::filesystem::exists(folder_ / "out.manifest.json"));
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    const Scene back = readGltf(folder_ / "out.glb", noProgress()).value();
    EXPECT_EQ(back.objects.size(), window_->document().source()->objects.size());
    EXPECT_THAT(window_->titleBlock().message().toStdString(), HasSubstr("out.glb"));
}

TEST_F(Window, ExportOverTheSourceIsRefused) {
    openMarket();
    QSignalSpy failures(&window_->document(), &Document::failed);
    window_->proof().exportResult(QString::fromStdString(marketFile()));
    ASSERT_TRUE(settle());
    ASSERT_EQ(failures.count(), 1);
    EXPECT_THAT(failures[0][0].toString().toStdString(), HasSubstr("write over the source"));
}

TEST_F(Window, ProjectsAreSavedAndOpenedWithEverything) {
    openMarket();
    addFix("tidy");
    window_->document().setSpots({{"gate", {{1, 2, 3}, 40, 0}}}, "Add spot");
    const QString file = QString::fromStdString((folder_ / "p.flentro.json").string());
    EXPECT_TRUE(window_->document().isModified());
    window_->document().saveProject(file);
    EXPECT_FALSE(window_->document().isModified());
    const Viewpoint view = window_->document().view();
    TearDown();
    SetUp();
    window_->open(file);
    ASSERT_TRUE(settle());
    ASSERT_TRUE(window_->document().hasScene());
    EXPECT_EQ(window_->document().project().order.fixes.size(), 1U);
    EXPECT_EQ(window_->document().project().spots.at(0).name, "gate");
    EXPECT_TRUE(window_->document().view().eye.isApprox(view.eye, 1e-6));
    EXPECT_THAT(window_->windowTitle().toStdString(), HasSubstr("p.flentro"));
}

TEST_F(Window, FileThatChangesOnDiskIsReadAgainWithSettingsKept) {
    const demo::Ottermere made = demo::makeOttermere({0.2, 0.15, 16}, 1);
    Scene scene = made.scene;
    const std::string path = (folder_ / "live.glb").string();
    ASSERT_TRUE(writeGltf(scene, path, {}, noProgress()));
    window_->open(QString::fromStdString(path));
    ASSERT_TRUE(settle());
    addFix("culling");
    Viewpoint view = window_->document().view();
    view.heading += 30;
    window_->view().goTo(view);
    const std::size_t objects = window_->document().source()->objects.size();
    scene.scenes[0]["nodes"].erase(std::size_t{0});
    ASSERT_TRUE(writeGltf(scene, path, {}, noProgress()));
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return window_->document().source()->objects.size() != objects; }, kPatience));
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().project().order.fixes.size(), 1U);
    EXPECT_DOUBLE_EQ(window_->document().view().heading, view.heading);
    EXPECT_TRUE(std::isfinite(window_->document().result()->objects[0].culling.end));
}

TEST_F(Window, FilesOpenByDragAndDrop) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(QString::fromStdString(marketFile()))});
    QDragEnterEvent enter({50, 50}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window_.get(), &enter);
    EXPECT_TRUE(enter.isAccepted());
    QDropEvent drop({50, 50}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window_.get(), &drop);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->document().hasScene());
}

TEST_F(Window, CancellingAJobKeepsTheResultBefore) {
    openMarket();
    const ScenePtr before = window_->document().result();
    WorkOrder order;
    order.add(LadderSettings{});
    window_->document().setOrder(order, "Add ladder");
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->document().jobs().isRunning(); }, kPatience));
    window_->document().jobs().cancel();
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().result(), before);
}

TEST_F(Window, StaysResponsiveWhileLevelsAreMade) {
    openMarket();
    WorkOrder order;
    order.add(LadderSettings{});
    window_->document().setOrder(order, "Add ladder");
    int turns = 0;
    QTimer ticker;
    QObject::connect(&ticker, &QTimer::timeout, [&] { ++turns; });
    ticker.start(10);
    ASSERT_TRUE(settle());
    EXPECT_GT(turns, 5) << "the event loop went on while the worker worked";
}

TEST_F(Window, KeptSpotsAreAddedGoneToAndRemoved) {
    openMarket();
    window_->showStep(WorkStep::Survey);
    find<QTabBar>("Lists of the survey")->setCurrentIndex(2);
    click(button("Keep this spot"), {10, 10});
    Viewpoint away = window_->document().view();
    away.eye += Vec3d(20, 0, 5);
    window_->document().setView(away);
    click(button("Keep this spot"), {10, 10});
    auto* table = find<QTableWidget>("Kept spots");
    ASSERT_EQ(table->rowCount(), 2);
    table->selectRow(0);
    EXPECT_FALSE(window_->document().view().eye.isApprox(away.eye));
    click(button("Remove"), {10, 10});
    EXPECT_EQ(table->rowCount(), 1);
    window_->document().undoStack().undo();
    EXPECT_EQ(table->rowCount(), 2);
}

/// Surveyed from the quay, coarsely.
class SurveyedWindow : public Window {
protected:
    void survey() {
        openMarket();
        window_->showStep(WorkStep::Survey);
        SurveyRequest request;
        request.spacing = 24;
        request.faceSize = 64;
        window_->document().setSurvey(request, "Survey settings");
        click(button("Survey"), {10, 10});
        ASSERT_TRUE(settle());
        ASSERT_TRUE(window_->document().surveyed().exists());
    }
    [[nodiscard]] const Surveyed& surveyed() { return window_->document().surveyed(); }
    [[nodiscard]] double worst(const Surveyed::Tallies& tallies) {
        double load = 0;
        for (std::size_t s = 0; s < tallies.size(); ++s)
            for (std::size_t v = 0; v < tallies[s].size(); ++v)
                load = std::max(load, surveyed().load(tallies, s, v, Measure::Triangles,
                                                      window_->document().target()));
        return load;
    }
};

TEST_F(SurveyedWindow, MeasuresEveryPlaceAndTellsTheWorst) {
    survey();
    const std::size_t spots = surveyed().survey->spots.size();
    EXPECT_GE(spots, 4U);
    EXPECT_TRUE(surveyed().survey->complete);
    EXPECT_THAT(window_->rail().button(WorkStep::Survey)->accessibleDescription().toStdString(),
                HasSubstr(std::to_string(spots) + " spots"));
    auto* table = find<QTableWidget>("Worst views");
    EXPECT_EQ(table->rowCount(), static_cast<int>(kMeasureCount));
    EXPECT_TRUE(window_->strip().isVisible());
    EXPECT_EQ(window_->strip().order().size(), spots);
    EXPECT_THAT(find<QLabel>("What the survey found")->text().toStdString(),
                HasSubstr("Never seen"));
    // The first row is the worst load: going there shows it on the board.
    table->selectRow(0);
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().nearestSpot(), static_cast<int>([&] {
                  for (std::size_t s = 0; s < spots; ++s)
                      if (surveyed().survey->spots[s].eye == window_->document().view().eye)
                          return s;
                  return spots;
              }()));
}

TEST_F(SurveyedWindow, FixesLowerTheWholeSurveyWithoutANewOne) {
    survey();
    const auto before = surveyed().survey;
    const double load = worst(surveyed().after);
    EXPECT_DOUBLE_EQ(load, worst(surveyed().before));
    addFix("ladder");
    EXPECT_EQ(surveyed().survey, before) << "the rays were not cast again";
    EXPECT_LT(worst(surveyed().after), load);
    EXPECT_DOUBLE_EQ(worst(surveyed().before), load);
}

TEST_F(SurveyedWindow, PetalsAndStripLeadToTheirViews) {
    survey();
    emit window_->plan().swapRequested();
    ASSERT_TRUE(settle());
    const QPoint middle = window_->plan().rect().center();
    click(&window_->plan(), middle);
    const Vec3d stood = window_->document().view().eye;
    const auto isSpot = [&](const Vec3d& eye) {
        for (const SpotResult& spot : surveyed().survey->spots)
            if (spot.eye == eye) return true;
        return false;
    };
    click(&window_->strip(), {50, 60});
    ASSERT_TRUE(isSpot(window_->document().view().eye));
    const Vec3d heaviest = window_->document().view().eye;
    EXPECT_EQ(surveyed().survey->spots[window_->strip().order().front()].eye, heaviest);
    QTest::keyClick(&window_->strip(), Qt::Key_Right);
    EXPECT_EQ(surveyed().survey->spots[window_->strip().order()[1]].eye,
              window_->document().view().eye);
    EXPECT_FALSE(stood.isApprox(heaviest));
}

TEST_F(SurveyedWindow, WhatIfChangesBoardAndSurveyAndBack) {
    survey();
    const double load = worst(surveyed().after);
    const double triangles = here(Measure::Triangles);
    const std::size_t heaviest = [&] {
        const auto& objects = window_->document().source()->objects;
        const ViewCost& cost = window_->document().here().after;
        std::size_t best = cost.drawn.front().object;
        for (const DrawnObject& drawn : cost.drawn)
            if (window_->document().source()->mesh(objects[drawn.object]).triangles >
                window_->document().source()->mesh(objects[best]).triangles)
                best = drawn.object;
        return best;
    }();
    window_->document().selectObject(static_cast<int>(heaviest));
    key(Qt::Key_X);
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().offCount(), 1U);
    EXPECT_LT(here(Measure::Triangles), triangles);
    EXPECT_LT(worst(surveyed().after), load);
    QTest::keyClick(&window_->view(), Qt::Key_X, Qt::ShiftModifier);
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), triangles);
    EXPECT_DOUBLE_EQ(worst(surveyed().after), load);
    EXPECT_FALSE(window_->document().isModified() &&
                 window_->document().undoStack().undoText().contains("off"))
        << "the scene was not changed";
}

TEST_F(Window, FindingsSwitchAWholeAssetOff) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    ASSERT_TRUE(settle());
    auto* table = find<QTableWidget>("Ranking");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() > 0; }, kPatience));
    table->selectRow(0);
    const double before = here(Measure::Triangles);
    click(button("What if off"), {10, 10});
    ASSERT_TRUE(settle());
    EXPECT_GE(window_->document().offCount(), 1U);
    EXPECT_LT(here(Measure::Triangles), before);
    window_->document().switchAllOn();
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), before);
}

TEST_F(SurveyedWindow, BoardLeadsToTheWorstViewOfAMeasure) {
    survey();
    auto* board = find<LoadBoard>("Load board");
    const auto worstTriangles = worstOf(*surveyed().survey, Measure::Triangles);
    ASSERT_TRUE(worstTriangles);
    const SpotResult& spot = surveyed().survey->spots[worstTriangles->spot];
    click(board, {60, 45});
    EXPECT_EQ(window_->document().view().eye, spot.eye);
    EXPECT_DOUBLE_EQ(window_->document().view().heading, spot.views[worstTriangles->view].heading);
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), worstTriangles->value) << "the counters agree";
}

TEST_F(SurveyedWindow, AnotherMeasureReordersTheStrip) {
    survey();
    auto* measure = find<QComboBox>("Measure on plan and strip");
    const auto loadsInOrder = [&](const std::optional<Measure>& by) {
        std::vector<double> inOrder;
        for (const std::size_t s : window_->strip().order())
            inOrder.push_back(surveyed().load(
                surveyed().before, s,
                surveyed().worstView(surveyed().before, s, by, window_->document().target()), by,
                window_->document().target()));
        return inOrder;
    };
    for (const int index : {1, 3}) {
        measure->setCurrentIndex(index);
        emit measure->activated(index);
        const auto by = kMeasures[static_cast<std::size_t>(index) - 1];
        EXPECT_EQ(window_->document().shownMeasure(), by);
        const std::vector<double> inOrder = loadsInOrder(by);
        EXPECT_TRUE(std::is_sorted(inOrder.rbegin(), inOrder.rend())) << measureName(by);
    }
}

TEST_F(SurveyedWindow, IsReadBackBesideItsProject) {
    survey();
    const QString project = QString::fromStdString((folder_ / "p.flentro.json").string());
    window_->document().saveProject(project);
    window_->survey().run();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(QFile::exists(project + ".survey"));
    const auto first = surveyed().survey;
    window_->survey().run();
    ASSERT_TRUE(settle());
    EXPECT_NE(surveyed().survey, first) << "another value";
    ASSERT_EQ(surveyed().survey->spots.size(), first->spots.size());
    EXPECT_EQ(surveyed().survey->seen.trianglePixels, first->seen.trianglePixels);
    // A damaged cache is no obstacle.
    test::writeText((folder_ / "p.flentro.json.survey"), "not a survey");
    window_->survey().run();
    ASSERT_TRUE(settle());
    EXPECT_EQ(surveyed().survey->seen.trianglePixels, first->seen.trianglePixels);
}

TEST_F(SurveyedWindow, CancellingKeepsWhatIsDone) {
    openMarket();
    window_->showStep(WorkStep::Survey);
    SurveyRequest request;
    request.spacing = 2;
    request.faceSize = 256;
    window_->document().setSurvey(request, "Survey settings");
    ASSERT_TRUE(settle());
    window_->survey().run();
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return window_->document().earlySpots().size() > 2; }, kPatience));
    window_->document().jobs().cancel();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(surveyed().exists());
    EXPECT_FALSE(surveyed().survey->complete);
    EXPECT_GT(surveyed().survey->spots.size(), 2U);
}

TEST_F(SurveyedWindow, AWalkIsRecordedSurveyedAndPlayed) {
    openMarket();
    window_->showStep(WorkStep::Survey);
    click(button("Record walk"), {10, 10});
    const Viewpoint start = window_->document().view();
    Viewpoint view = start;
    for (int i = 0; i < 12; ++i) {
        view.eye.x() += 1;
        window_->document().setView(view);
    }
    click(button("Stop recording"), {10, 10});
    ASSERT_EQ(window_->document().project().walk.size(), 13U);
    SurveyRequest request = window_->document().project().survey;
    EXPECT_EQ(request.where, SurveyRequest::Where::Walk);
    request.spacing = 3;
    request.faceSize = 0;
    window_->document().setSurvey(request, "Survey settings");
    window_->survey().run();
    ASSERT_TRUE(settle());
    ASSERT_EQ(surveyed().survey->spots.size(), 5U) << "12 m in steps of 3 m";
    EXPECT_EQ(window_->strip().order(), (std::vector<std::size_t>{0, 1, 2, 3, 4}))
        << "in the order of the walk";
    EXPECT_FALSE(surveyed().survey->hasRays());
    window_->document().setView(view);
    click(button("Play"), {10, 10});
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return (window_->document().view().eye - start.eye).norm() < 3; }, kPatience));
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return !window_->survey().recorder().isPlaying(); }, kPatience));
    EXPECT_GT((window_->document().view().eye - start.eye).norm(), 10);
}

TEST_F(SurveyedWindow, SeenLensTellsWhatIsDrawnInVain) {
    survey();
    window_->view().setLens(LensKind::Seen);
    ASSERT_TRUE(settle());
    const auto states = seenStates(window_->document());
    ASSERT_EQ(states.size(), window_->document().source()->objects.size());
    EXPECT_GT(std::count(states.begin(), states.end(), SeenState::Here), 0);
    EXPECT_LT(std::count(states.begin(), states.end(), SeenState::Here),
              static_cast<long>(states.size()));
    const auto legend = legendFor(LensKind::Seen, *window_->document().result(),
                                  window_->document().here().after, states);
    EXPECT_EQ(legend.size(), 3U);
}

TEST_F(Window, PlanShowsTheSceneAndSendsTheViewThere) {
    openMarket();
    auto* plan = find<PlanView>("Plan");
    const Vec3d before = window_->document().view().eye;
    click(plan, {plan->width() / 4, plan->height() / 2});
    const Vec3d after = window_->document().view().eye;
    EXPECT_LT(after.x(), before.x());
    EXPECT_DOUBLE_EQ(after.y(), before.y());
    const int small = plan->width();
    emit plan->swapRequested();
    EXPECT_GT(plan->width(), 2 * small) << "swapped with the 3D view";
    emit plan->swapRequested();
    EXPECT_EQ(plan->width(), small);
    ASSERT_TRUE(settle());
}

TEST_F(Window, DayAndNightSheetsSwap) {
    openMarket();
    const QColor night = theme().paper;
    QTest::keyClick(window_.get(), Qt::Key_D, Qt::ControlModifier);
    EXPECT_EQ(currentSheet(), Sheet::Day);
    EXPECT_GT(theme().paper.lightness(), night.lightness());
    ASSERT_TRUE(settle());
    QTest::keyClick(window_.get(), Qt::Key_D, Qt::ControlModifier);
    EXPECT_EQ(currentSheet(), Sheet::Night);
    ASSERT_TRUE(settle());
}

TEST_F(Window, EverythingFitsAtTheSmallestSize) {
    openMarket();
    addFix("tidy");
    addFix("ladder");
    addFix("culling");
    window_->resize(1280, 800);
    for (int step = 0; step < kStepCount; ++step) {
        window_->showStep(static_cast<WorkStep>(step));
        ASSERT_TRUE(settle());
        for (QScrollArea* area : window_->findChildren<QScrollArea*>()) {
            if (!area->isVisible()) continue;
            EXPECT_LE(area->widget()->minimumSizeHint().width(), area->viewport()->width())
                << "cut off in step " << step + 1;
        }
    }
}

}  // namespace
}  // namespace flentro::app
