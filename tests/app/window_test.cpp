// The real window under a virtual screen, with mouse and keys.

#include <QMenu>
#include <QMenuBar>
#include <functional>
#include <map>
#include <set>

#include "app/window_fixture.h"
#include "base/index.h"
#include "fixes/culling/culling.h"
#include "fixes/ladder/ladder.h"
#include "widgets/key_sheet.h"

namespace flentro::app {
namespace {

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
    EXPECT_EQ(window_->document().selection().object(), -1) << "a drag selects nothing";
}

TEST_F(Window, ClickSelectsTheObjectUnderThePointer) {
    openMarket();
    View3D& view = window_->view();
    click(&view, {view.width() / 2, view.height() - 40});
    const int selected = window_->document().selection().object();
    ASSERT_GE(selected, 0);
    EXPECT_EQ(elementOf(window_->document().source()->objects, selected).name, "quay");
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
    for (const Lens& lens : lenses()) {
        const LensKind kind = lens.kind;
        if (kind == LensKind::Seen) continue;    // has nothing to tell before a survey
        if (kind == LensKind::Groups) continue;  // nor before a fix
        window_->view().setLens(kind);
        ASSERT_TRUE(settle());
        const QImage picture = window_->view().grabFramebuffer();
        for (const QImage& other : pictures) EXPECT_NE(picture, other) << lens.name;
        pictures.push_back(picture);
        const auto legend =
            legendFor(kind, *window_->document().result(), window_->document().here().after,
                      seenStates(window_->document(), *window_->document().result()));
        EXPECT_EQ(legend.empty(), kind == LensKind::Shaded || kind == LensKind::Wireframe);
        EXPECT_GT(std::strlen(lens.help), 20U);
    }
}

TEST_F(Window, PickingATargetCanBeUndone) {
    openMarket();
    const std::string before = window_->document().target().name;
    auto* picker = find<QComboBox>("Target");
    picker->setCurrentIndex(0);
    emit picker->activated(0);
    EXPECT_EQ(window_->document().target().name, "Palm 30");
    EXPECT_EQ(window_->document().projectModel().undoStack().undoText(), "Target Palm 30");
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
    EXPECT_TRUE(window_->document().projectModel().isModified());
    ASSERT_TRUE(settle());
    EXPECT_THAT(find<QWidget>("Load board")->accessibleDescription().toStdString(),
                HasSubstr("of 1"));
    window_->document().projectModel().undoStack().undo();
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
    window_->findings().turnTo(FindingsPanel::Fills);
    auto* table = find<QTableWidget>("Ranking");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() > 10; }, kPatience));
    auto* filter = find<QLineEdit>("Filter");
    QTest::keyClicks(filter, "bollard");
    ASSERT_EQ(table->rowCount(), 1);
    table->setCurrentCell(0, 0);
    const int selected = window_->document().selection().object();
    ASSERT_GE(selected, 0);
    EXPECT_THAT(elementOf(window_->document().source()->objects, selected).name,
                HasSubstr("bollard"));
    const Viewpoint before = window_->document().view();
    button("Show me")->click();
    EXPECT_NE(window_->document().view().eye, before.eye);
    button("Fix this")->click();
    EXPECT_EQ(window_->step(), WorkStep::Fixes);
    ASSERT_EQ(window_->document().project().order.fixes.size(), 1U);
    EXPECT_EQ(window_->document().project().order.fixes[0].settings.kind().key, "ladder");
    ASSERT_TRUE(settle());
}

TEST_F(Window, SettingAFindingAsideIsKeptAndUndone) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    window_->findings().turnTo(FindingsPanel::Fills);
    auto* table = find<QTableWidget>("Ranking");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() > 10; }, kPatience));
    table->setCurrentCell(0, 0);
    const std::string name = table->item(0, 0)->text().toStdString();
    button("Set aside")->click();
    EXPECT_TRUE(window_->document().project().setAside.contains(name));
    EXPECT_NE(button("Take up again"), nullptr);
    window_->document().projectModel().undoStack().undo();
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
    window_->document().projectModel().undoStack().undo();
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
        (*window_->document().project().order.fixes[0].settings.as<LadderSettings>());
    ASSERT_TRUE(settings.overrides.contains("bollard"));
    EXPECT_LT(settings.overrides.at("bollard").switchDistances[0], before);
    ASSERT_TRUE(settle());
    for (const Asset& asset : window_->document().result()->assets) {
        if (asset.mesh->name != "bollard") continue;
        EXPECT_DOUBLE_EQ(asset.ladder.levels[0].switchDistance,
                         settings.overrides.at("bollard").switchDistances[0]);
    }
    button("Reset")->click();
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
    EXPECT_EQ(window_->document().projectModel().undoStack().undoText(), "Drag size class");
}

TEST_F(Window, FixesCanBeReorderedAndRemoved) {
    openMarket();
    addFix("tidy");
    addFix("culling");
    auto cards = window_->fixes().findChildren<FixCard*>();
    emit cards.back()->moved(-1);
    EXPECT_TRUE(window_->document().project().order.fixes[0].settings.as<CullingSettings>());
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

TEST_F(Window, KLightsTheSceneFromTheEye) {
    openMarket();
    EXPECT_FALSE(window_->view().isLitFromEye()) << "it has lamps of its own";
    key(Qt::Key_K);
    EXPECT_TRUE(window_->view().isLitFromEye());
    key(Qt::Key_K);
    EXPECT_FALSE(window_->view().isLitFromEye());
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
    window_->document().projectModel().setSpots({{"gate", {{1, 2, 3}, 40, 0}}}, "Add spot");
    const QString file = QString::fromStdString((folder_ / "p.flentro.json").string());
    EXPECT_TRUE(window_->document().projectModel().isModified());
    window_->document().saveProject(file);
    EXPECT_FALSE(window_->document().projectModel().isModified());
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
    window_->document().projectModel().setOrder(order, "Add ladder");
    ASSERT_TRUE(QTest::qWaitFor([&] { return window_->document().jobs().isRunning(); }, kPatience));
    window_->document().jobs().cancel();
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().result(), before);
}

TEST_F(Window, StaysResponsiveWhileLevelsAreMade) {
    openMarket();
    WorkOrder order;
    order.add(LadderSettings{});
    window_->document().projectModel().setOrder(order, "Add ladder");
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
    find<QTabBar>("Lists of the survey")->setCurrentIndex(3);
    click(button("Keep this spot"), {10, 10});
    Viewpoint away = window_->document().view();
    away.eye += Vec3d(20, 0, 5);
    window_->document().projectModel().setView(away);
    click(button("Keep this spot"), {10, 10});
    auto* table = find<QTableWidget>("Kept spots");
    ASSERT_EQ(table->rowCount(), 2);
    table->selectRow(0);
    EXPECT_FALSE(window_->document().view().eye.isApprox(away.eye));
    click(button("Remove"), {10, 10});
    EXPECT_EQ(table->rowCount(), 1);
    window_->document().projectModel().undoStack().undo();
    EXPECT_EQ(table->rowCount(), 2);
}

/// Surveyed from the quay, coarsely.

TEST_F(Window, AnyMeasureIsShownAsSharesOfTheView) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    window_->findings().turnTo(FindingsPanel::Fills);
    ASSERT_TRUE(settle());
    auto* by = find<QComboBox>("By");
    auto* table = find<QTableWidget>("Ranking");
    FillBar& bar = window_->findings().bar();
    ASSERT_EQ(by->count(), static_cast<int>(kMeasureCount));
    for (const Measure measure : kMeasures) {
        by->setCurrentIndex(static_cast<int>(measure));
        emit by->activated(by->currentIndex());
        // A bar for what is there and adds up.
        const bool hasBar = !isLargestInUse(measure) && here(measure) > 0;
        const auto isShown = [&] {
            return table->rowCount() > 0 && bar.segments().empty() != hasBar &&
                   table->horizontalHeaderItem(2)->text() == by->currentText();
        };
        EXPECT_TRUE(QTest::qWaitFor(isShown, kPatience)) << measureName(measure);
        double sum = 0;
        for (const FillBar::Segment& segment : bar.segments()) sum += segment.share;
        EXPECT_LE(sum, 1 + 1e-9);
        const bool lights = measure == Measure::Lights || measure == Measure::ShadowLights;
        EXPECT_EQ(find<QComboBox>("What")->currentText() == "Lights", lights);
        if (lights) {  // back to things
            find<QComboBox>("What")->setCurrentIndex(0);
            emit find<QComboBox>("What")->activated(0);
            EXPECT_EQ(by->currentText(), "Triangles");
        }
    }
    by->setCurrentIndex(0);
    emit by->activated(0);
    ASSERT_TRUE(QTest::qWaitFor([&] { return bar.segments().size() > 2; }, kPatience));
    // A click on the second segment chooses the second row.
    const double at = bar.segments()[0].share + bar.segments()[1].share / 2;
    click(&bar, QPoint(static_cast<int>(at * bar.width()), bar.height() / 2));
    EXPECT_EQ(table->currentRow(), 1);
    EXPECT_EQ(table->item(1, 0)->text(), bar.segments()[1].name);
    ASSERT_TRUE(settle());
}

TEST_F(Window, FindingsSwitchAWholeAssetOff) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    window_->findings().turnTo(FindingsPanel::Fills);
    ASSERT_TRUE(settle());
    auto* table = find<QTableWidget>("Ranking");
    ASSERT_TRUE(QTest::qWaitFor([&] { return table->rowCount() > 0; }, kPatience));
    table->selectRow(0);
    const double before = here(Measure::Triangles);
    click(button("What if off"), {10, 10});
    ASSERT_TRUE(settle());
    EXPECT_GE(window_->document().selection().without().count(), 1U);
    EXPECT_LT(here(Measure::Triangles), before);
    window_->document().selection().switchAllOn();
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), before);
}

TEST_F(Window, FindingsSwitchALightOff) {
    openMarket();
    window_->showStep(WorkStep::Findings);
    window_->findings().turnTo(FindingsPanel::Fills);
    ASSERT_TRUE(settle());
    auto* what = find<QComboBox>("What");
    what->setCurrentIndex(2);
    emit what->activated(2);
    auto* table = find<QTableWidget>("Ranking");
    const double lights = here(Measure::Lights);
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return table->rowCount() == static_cast<int>(lights); }, kPatience));
    table->selectRow(0);
    const double triangles = here(Measure::Triangles);
    EXPECT_THAT(button("Fix this")->toolTip().toStdString(), HasSubstr("shadow"));
    click(button("What if off"), {10, 10});
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().selection().without().count(), 1U);
    EXPECT_EQ(here(Measure::Lights), lights - 1);
    EXPECT_LT(here(Measure::Triangles), triangles) << "its shadow pass went with it";
    const Vec3d before = window_->document().view().eye;
    click(button("Show me"), {10, 10});
    EXPECT_NE(window_->document().view().eye, before);
    QTest::keyClick(&window_->view(), Qt::Key_X, Qt::ShiftModifier);
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().selection().without().count(), 0U);
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

/// All actions with a key, in the menus and below them.
std::vector<const QAction*> actionsWithKeys(const QMenuBar& menus) {
    std::vector<const QAction*> found;
    const std::function<void(const QMenu&)> collect = [&](const QMenu& menu) {
        for (const QAction* action : menu.actions()) {
            if (action->menu()) collect(*action->menu());
            if (!action->shortcut().isEmpty()) found.push_back(action);
        }
    };
    for (const QAction* action : menus.actions())
        if (action->menu()) collect(*action->menu());
    return found;
}

TEST_F(Window, NoTwoActionsShareAKey) {
    std::map<std::string, std::string> known;
    for (const QAction* action : actionsWithKeys(*window_->menuBar())) {
        const auto [at, isNew] = known.try_emplace(action->shortcut().toString().toStdString(),
                                                   action->text().toStdString());
        EXPECT_TRUE(isNew) << at->first << ": " << at->second << " and "
                           << action->text().toStdString();
    }
    EXPECT_GE(known.size(), 15U);
}

/// As Qt sends a key to nobody that two actions want, each is pressed.
TEST_F(Window, EveryKeyDoesWhatItsEntrySays) {
    openMarket();
    QTimer closer;  // of the dialogs that keys open
    QObject::connect(&closer, &QTimer::timeout, [] {
        if (QWidget* dialog = QApplication::activeModalWidget()) dialog->close();
    });
    closer.start(50);
    for (const QAction* action : actionsWithKeys(*window_->menuBar())) {
        const QString keys = action->shortcut().toString();
        // The survey of all this takes long, and has tests of its own.
        if (keys == "Ctrl+Q" || keys == "Ctrl+R" || !action->isEnabled()) continue;
        window_->activateWindow();  // no window manager gives it back after a dialog
        ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
        const QSignalSpy triggered(action, &QAction::triggered);
        const QKeyCombination pressed = action->shortcut()[0];
        QTest::keyClick(window_.get(), pressed.key(), pressed.keyboardModifiers());
        EXPECT_EQ(triggered.count(), 1) << keys.toStdString();
        ASSERT_TRUE(settle());
    }
    window_->activateWindow();
    ASSERT_TRUE(QTest::qWaitForWindowActive(window_.get()));
    QTest::keyClick(window_.get(), Qt::Key_2, Qt::ControlModifier);
    EXPECT_EQ(window_->view().lens(), lenses()[1].kind);
}

TEST_F(Window, TheSheetOfKeysHoldsEveryKey) {
    const KeySheet sheet(*window_->menuBar());
    std::set<QString> texts;
    for (const QLabel* label : sheet.findChildren<QLabel*>()) texts.insert(label->text());
    for (const QAction* action : actionsWithKeys(*window_->menuBar())) {
        EXPECT_TRUE(texts.contains(action->shortcut().toString(QKeySequence::NativeText)))
            << action->text().toStdString();
        EXPECT_TRUE(texts.contains(QString(action->text()).remove('&')));
    }
}

TEST_F(Window, DayAndNightSheetsSwap) {
    openMarket();
    const QColor night = theme().paper;
    QTest::keyClick(window_.get(), Qt::Key_D, Qt::ControlModifier);
    EXPECT_EQ(currentTheme(), ThemeName::Day);
    EXPECT_GT(theme().paper.lightness(), night.lightness());
    ASSERT_TRUE(settle());
    EXPECT_EQ(find<PlanView>("Plan")->grab().toImage().pixelColor(2, 2), theme().paper);
    QTest::keyClick(window_.get(), Qt::Key_D, Qt::ControlModifier);
    EXPECT_EQ(currentTheme(), ThemeName::Night);
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
