// The parts of the document that need no window: project with undo, and selection.

#include <gtest/gtest.h>

#include <QSignalSpy>
#include <QtTest>

#include "fixes/tidy/tidy.h"
#include "model/project_model.h"
#include "model/selection.h"
#include "model/view_counter.h"
#include "project/project.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro::app {
namespace {

Target named(const char* name) {
    Target target = shippedTargets()[0];
    target.name = name;
    return target;
}

Viewpoint standingAt(double x) {
    Viewpoint view;
    view.eye = {x, 1.7, 0};
    return view;
}

TEST(ProjectModel, EveryChangeIsUndoneAndDoneAgain) {
    ProjectModel model;
    QSignalSpy changed(&model, &ProjectModel::changed);
    const std::string before = model.project().target.name;
    model.setTarget(named("First"), "first");
    model.setSpots({{"gate", standingAt(4)}}, "spot");
    EXPECT_EQ(changed.count(), 2);
    EXPECT_EQ(model.undoStack().undoText(), "spot");
    model.undoStack().undo();
    EXPECT_TRUE(model.project().spots.empty());
    EXPECT_EQ(model.project().target.name, "First");
    model.undoStack().undo();
    EXPECT_EQ(model.project().target.name, before);
    EXPECT_FALSE(model.isModified());
    model.undoStack().redo();
    EXPECT_EQ(model.project().target.name, "First");
    EXPECT_EQ(changed.count(), 5);
}

TEST(ProjectModel, TheViewIsNotUndone) {
    ProjectModel model;
    QSignalSpy moved(&model, &ProjectModel::viewChanged);
    model.setView(standingAt(1));
    model.setTarget(named("First"), "first");
    model.setView(standingAt(2));
    EXPECT_EQ(moved.count(), 2);
    model.undoStack().undo();
    EXPECT_EQ(model.project().view.eye, standingAt(2).eye);
    EXPECT_FALSE(model.isModified());
}

TEST(ProjectModel, SettingsOfImportAreToldFirst) {
    ProjectModel model;
    std::vector<std::string> told;
    QObject::connect(&model, &ProjectModel::importChanged, [&] { told.push_back("import"); });
    QObject::connect(&model, &ProjectModel::changed, [&] { told.push_back("changed"); });
    ImportSettings settings = model.project().import;
    settings.unit = "mm";
    model.setImport(settings, "unit");
    EXPECT_EQ(told, (std::vector<std::string>{"import", "changed"}));
    told.clear();
    model.setTarget(named("First"), "first");
    EXPECT_EQ(told, std::vector<std::string>{"changed"});
}

TEST(ProjectModel, AWalkIsSurveyedFromThenOn) {
    ProjectModel model;
    model.setWalk({standingAt(0), standingAt(1)}, "walk");
    EXPECT_EQ(model.project().survey.where, SurveyRequest::Where::Walk);
    model.undoStack().undo();
    EXPECT_NE(model.project().survey.where, SurveyRequest::Where::Walk);
}

TEST(ProjectModel, FindingsAreSetAsideWithAReason) {
    ProjectModel model;
    model.setFindingAside("too-dense lamp", "seen from afar only", "lamp");
    EXPECT_EQ(model.project().findingsAside.at("too-dense lamp"), "seen from afar only");
    model.takeUpFinding("too-dense lamp", "lamp");
    EXPECT_TRUE(model.project().findingsAside.empty());
    model.setAside("lamp", true);
    model.setAside("lamp", false);
    EXPECT_TRUE(model.project().setAside.empty());
    EXPECT_EQ(model.undoStack().undoText(), "Take up lamp");
}

TEST(ProjectModel, SavingIsNoChange) {
    const test::TemporaryFolder folder;
    ProjectModel model;
    Project project;
    project.scene = folder / "a.glb";
    model.adopt(project, "", true);
    model.setTarget(named("First"), "first");
    QSignalSpy changed(&model, &ProjectModel::changed);
    QSignalSpy saved(&model, &ProjectModel::saved);
    const QString file = QString::fromStdString((folder / "a.flentro.json").string());
    ASSERT_TRUE(model.save(file));
    EXPECT_EQ(saved.count(), 1);
    EXPECT_EQ(changed.count(), 0) << "no result is worked out anew";
    EXPECT_FALSE(model.isModified());
    EXPECT_EQ(model.file(), file);
    const auto read = loadProject(file.toStdString());
    ASSERT_TRUE(read) << describe(read.error());
    EXPECT_EQ(read->target.name, "First");
}

TEST(ProjectModel, WhatCannotBeSavedStaysModified) {
    const test::TemporaryFolder folder;
    ProjectModel model;
    model.setTarget(named("First"), "first");
    const auto done =
        model.save(QString::fromStdString((folder / "missing" / "a.flentro.json").string()));
    ASSERT_FALSE(done);
    EXPECT_FALSE(done.error().what.empty());
    EXPECT_TRUE(model.isModified());
    EXPECT_TRUE(model.file().isEmpty());
}

TEST(ProjectModel, ARecoveredProjectIsHeldByNoFile) {
    ProjectModel model;
    model.setTarget(named("First"), "first");
    Project other;
    other.target = named("Other");
    model.adopt(other, "a.flentro.json", true);
    EXPECT_FALSE(model.isModified());
    EXPECT_FALSE(model.undoStack().canUndo()) << "of another project";
    model.adopt(other, "a.flentro.json", false);
    EXPECT_TRUE(model.isModified());
}

TEST(Selection, TellsOnlyWhatChanges) {
    Selection selection;
    QSignalSpy changed(&selection, &Selection::changed);
    selection.selectObject(3);
    selection.selectObject(3);
    EXPECT_EQ(changed.count(), 1);
    EXPECT_EQ(selection.object(), 3);
    selection.selectObject(-1);
    EXPECT_EQ(changed.count(), 2);
}

TEST(Selection, AnotherFixHasNoParcelYet) {
    Selection selection;
    selection.selectFix(1);
    selection.selectParcel(4);
    QSignalSpy changed(&selection, &Selection::changed);
    QSignalSpy fixes(&selection, &Selection::fixChanged);
    selection.selectFix(2);
    EXPECT_EQ(selection.parcel(), -1);
    EXPECT_EQ(fixes.count(), 1);
    EXPECT_EQ(changed.count(), 1);
}

TEST(Selection, MarksAreOfTheChosenFixWhileTheyAreShown) {
    Selection selection;
    selection.selectFix(7);
    EXPECT_EQ(selection.markedFix(), 0);
    selection.showMarks(true);
    EXPECT_EQ(selection.markedFix(), 7);
    selection.showMarks(false);
    EXPECT_EQ(selection.markedFix(), 0);
    EXPECT_EQ(selection.fix(), 7);
}

TEST(Selection, OfAnotherSceneNothingIsLeft) {
    Selection selection;
    selection.selectObject(2);
    selection.selectFix(1);
    QSignalSpy off(&selection, &Selection::offChanged);
    selection.setWithout({.objects = {true, false}, .lights = {}, .images = {}});
    EXPECT_EQ(off.count(), 1);
    selection.switchAllOn();
    EXPECT_EQ(off.count(), 2);
    EXPECT_TRUE(selection.without().empty());
    selection.setWithout({.objects = {true}, .lights = {}, .images = {}});
    selection.reset();
    EXPECT_EQ(selection.object(), -1);
    EXPECT_EQ(selection.fix(), 0);
    EXPECT_TRUE(selection.without().empty());
}

/// A box ahead of the eye, and models that know of it.
class Models : public testing::Test {
protected:
    static constexpr int kPatience = 20'000;  // milliseconds

    void openBox() {
        const Scene scene = test::makeScene({{test::makeBox({2, 2, 2}), {0, 1.7, -8}}});
        evaluator_.setSource(std::make_shared<const Scene>(scene));
    }
    bool waitUntilCurrent() {
        return QTest::qWaitFor([this] { return evaluator_.isCurrent(); }, kPatience);
    }
    void addTidy() {
        WorkOrder order = project_.project().order;
        order.add(TidySettings());
        project_.setOrder(order, "tidy");
    }

    JobRunner jobs_;
    ProjectModel project_;
    Selection selection_;
    Evaluator evaluator_{project_, selection_, jobs_};
    ViewCounter counter_{project_, selection_, evaluator_};
};

TEST_F(Models, WithoutASceneNothingIsEvaluatedOrCounted) {
    evaluator_.evaluateNow();
    counter_.countSoon();
    EXPECT_FALSE(jobs_.isRunning());
    EXPECT_TRUE(counter_.isIdle());
    EXPECT_FALSE(evaluator_.isCurrent());
    EXPECT_FALSE(evaluator_.isStopped());
    EXPECT_EQ(counter_.freshness(), ViewCounter::Freshness::Nothing);
}

TEST_F(Models, AnEmptyOrdersResultIsTheSource) {
    openBox();
    EXPECT_FALSE(evaluator_.isCurrent()) << "not known before it is evaluated";
    evaluator_.evaluateNow();
    ASSERT_TRUE(waitUntilCurrent());
    EXPECT_EQ(evaluator_.result(), evaluator_.source());
    EXPECT_EQ(at(evaluator_.whole(), Measure::Triangles), 12);
    EXPECT_FALSE(evaluator_.doneBy(1));
}

TEST_F(Models, CountsOfAnOldResultAreTheOriginalsOnly) {
    openBox();
    evaluator_.evaluateNow();
    ASSERT_TRUE(waitUntilCurrent());
    counter_.recountSoon();
    const auto isFresh = [this] { return counter_.freshness() == ViewCounter::Freshness::Current; };
    ASSERT_TRUE(QTest::qWaitFor(isFresh, kPatience));
    EXPECT_EQ(at(counter_.here().after.counts, Measure::Triangles), 12);
    evaluator_.want();
    EXPECT_EQ(counter_.freshness(), ViewCounter::Freshness::Original);
    ASSERT_TRUE(waitUntilCurrent()) << "after a moment, by itself";
    counter_.clear();
    EXPECT_EQ(counter_.freshness(), ViewCounter::Freshness::Nothing);
}

TEST_F(Models, WhatIsSwitchedOffIsNotCounted) {
    openBox();
    evaluator_.evaluateNow();
    ASSERT_TRUE(waitUntilCurrent());
    QSignalSpy counted(&counter_, &ViewCounter::changed);
    selection_.setWithout({.objects = {true}, .lights = {}, .images = {}});
    ASSERT_TRUE(counted.wait(kPatience));
    EXPECT_EQ(at(counter_.here().before.counts, Measure::Triangles), 12);
    EXPECT_EQ(at(counter_.here().after.counts, Measure::Triangles), 0);
}

TEST_F(Models, AStoppedOrderIsToldAndTakenUpAgain) {
    evaluator_.setSource(std::make_shared<const Scene>(
        test::makeScene({{test::makeGrid(300, 300, 20), {-10, 0, -25}}})));
    addTidy();
    QSignalSpy stopped(&evaluator_, &Evaluator::stopped);
    evaluator_.evaluateNow();
    jobs_.cancelAll();
    ASSERT_TRUE(QTest::qWaitFor([this] { return !jobs_.isRunning(); }, kPatience));
    EXPECT_EQ(stopped.count(), 1);
    EXPECT_TRUE(evaluator_.isStopped());
    evaluator_.evaluateAgain();
    ASSERT_TRUE(waitUntilCurrent());
    EXPECT_FALSE(evaluator_.isStopped());
    EXPECT_TRUE(evaluator_.doneBy(project_.project().order.fixes[0].id));
}

}  // namespace
}  // namespace flentro::app
