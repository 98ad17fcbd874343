// The parts of the document that need no window: project with undo, and selection.

#include <gtest/gtest.h>

#include <QSignalSpy>

#include "model/project_model.h"
#include "model/selection.h"
#include "project/project.h"
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

}  // namespace
}  // namespace flentro::app
