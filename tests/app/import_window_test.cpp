// Files that do not say their unit, and variants of materials, in the real window.

#include <QMenu>

#include <atomic>
#include <thread>

#include "base/index.h"
#include "io/import_settings.h"
#include "widgets/reading_bar.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class ImportWindow : public Window {
protected:
    /// A box of 744 x 500 x 400 of some unit.
    std::string engine() {
        std::string text;
        for (int i = 0; i < 8; ++i)
            text += "v " + std::to_string((i & 1) * 744) + " " +
                    std::to_string((i >> 1 & 1) * 500) + " " + std::to_string((i >> 2) * 400) +
                    "\n";
        text += "f 1 3 4 2\nf 5 6 8 7\nf 1 2 6 5\nf 3 7 8 4\nf 1 5 7 3\nf 2 4 8 6\n";
        test::writeText(folder_ / "engine.obj", text);
        return (folder_ / "engine.obj").string();
    }
    QToolButton* reading() { return window_->findChild<QToolButton*>("reading"); }
    /// The entry of the button's menu, as it is filled when it opens.
    QAction* entry(const QString& text) {
        emit reading()->menu()->aboutToShow();
        for (QAction* action : reading()->menu()->actions())
            if (action->text() == text) return action;
        ADD_FAILURE() << "no entry " << text.toStdString();
        return nullptr;
    }
    double length() { return window_->document().source()->bounds().sizes().maxCoeff(); }
    void open(const std::string& file) {
        window_->open(QString::fromStdString(file));
        ASSERT_TRUE(settle());
        ASSERT_TRUE(window_->document().hasScene()) << failure_;
    }
};

TEST_F(ImportWindow, GuessedUnitIsShownChangedUndoneAndKept) {
    open(engine());
    EXPECT_EQ(reading()->text(), "mm?, Y up?");
    EXPECT_NEAR(length(), 0.744, 1e-6);
    EXPECT_LT(window_->document().view().eye.norm(), 10) << "the view frames what is there";

    entry("centimetres (cm)")->trigger();
    ASSERT_TRUE(settle());
    EXPECT_EQ(reading()->text(), "cm, Y up?");
    EXPECT_NEAR(length(), 7.44, 1e-6);
    EXPECT_TRUE(entry("centimetres (cm)")->isChecked());
    EXPECT_TRUE(window_->document().projectModel().isModified());

    const QString project = QString::fromStdString((folder_ / "engine.flentro.json").string());
    window_->document().saveProject(project);
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(length(), 0.744, 1e-6);
    window_->document().projectModel().undoStack().setClean();
    open(project.toStdString());
    EXPECT_NEAR(length(), 7.44, 1e-6);
}

/// What is unclear is asked above the view, with a picture for either axis.
TEST_F(ImportWindow, WhatIsUnclearIsAskedLikeThisOrLikeThat) {
    open(engine());
    auto* question = find<QLabel>("How the file was read");
    ASSERT_TRUE(question->isVisible());
    const SourceUnits guessed = window_->document().source()->sourceUnits;
    EXPECT_THAT(question->text().toStdString(),
                HasSubstr(std::string("Taken with ") + guessed.up + " up"));
    QToolButton* turned = nullptr;
    for (auto* candidate : window_->findChildren<QToolButton*>())
        if (candidate->text() == (guessed.up == 'Y' ? "Z up" : "Y up")) turned = candidate;
    ASSERT_TRUE(turned);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !turned->icon().isNull(); }, kPatience));
    turned->click();
    const auto isAnswered = [&] { return !window_->document().source()->sourceUnits.upGuessed; };
    ASSERT_TRUE(QTest::qWaitFor(isAnswered, kPatience));
    ASSERT_TRUE(settle());
    EXPECT_NE(window_->document().source()->sourceUnits.up, guessed.up);
    QPushButton* metres = nullptr;
    for (auto* candidate : window_->findChildren<QPushButton*>())
        if (candidate->text().endsWith("long (metres)")) metres = candidate;
    ASSERT_TRUE(metres && metres->isVisible()) << "the unit is still unclear";
    metres->click();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(length(), 744, 1e-6);
    EXPECT_FALSE(question->isVisible()) << "nothing is left to ask";
}

TEST_F(ImportWindow, TheTwoPicturesDiffer) {
    open(engine());
    const Scene& scene = *window_->document().source();
    const QImage one = drawSmall(scene, false, {132, 84});
    const QImage other = drawSmall(scene, true, {132, 84});
    EXPECT_NE(one, other);
    int drawn = 0;
    for (int y = 0; y < one.height(); ++y)
        for (int x = 0; x < one.width(); ++x) drawn += qAlpha(one.pixel(x, y)) > 0;
    EXPECT_GT(drawn, 132 * 84 / 5);
}

TEST_F(ImportWindow, AxisAndCreaseCanBeChosenForOtherFormatsOnly) {
    open(engine());
    const double height = window_->document().source()->bounds().sizes().y();
    entry("Z")->trigger();
    ASSERT_TRUE(settle());
    EXPECT_NEAR(height, 0.5, 1e-6);
    EXPECT_NEAR(window_->document().source()->bounds().sizes().y(), 0.4, 1e-6);
    entry("up to 180 degrees")->trigger();
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().source()->assets.at(0).mesh->vertices, 8U)
        << "one smooth surface";
    window_->document().projectModel().undoStack().setClean();
    openMarket();
    EXPECT_EQ(reading()->text(), "m, Y up");
    emit reading()->menu()->aboutToShow();
    for (QAction* action : reading()->menu()->actions())
        EXPECT_FALSE(action->text().contains("degrees"));
}

TEST_F(ImportWindow, IsReadAgainOnceForOneChange) {
    open(engine());
    QSignalSpy told(&window_->document(), &Document::readAgain);
    entry("Z")->trigger();
    ASSERT_TRUE(settle());
    EXPECT_EQ(told.count(), 1);
    QTest::qWait(1000);  // more than twice the time after which files are looked at
    EXPECT_EQ(told.count(), 1);
}

TEST_F(ImportWindow, AChangedFileDoesNotStopTheOpeningOfAnother) {
    const std::string market = marketFile();
    open(engine());
    const std::string other = (folder_ / "other.glb").string();
    std::filesystem::copy_file(market, other);
    // Behind an opening that is not done when the change is seen.
    std::atomic<bool> seen = false;
    window_->document().jobs().start("Looking", [&](Progress&) -> JobRunner::Finish {
        while (!seen) std::this_thread::sleep_for(std::chrono::milliseconds(5));
        return {};
    });
    window_->open(QString::fromStdString(other));
    test::writeText(folder_ / "engine.obj", test::readText(folder_ / "engine.obj") + "# saved\n");
    QTest::qWait(1000);
    seen = true;
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().project().scene.string(), other);
    EXPECT_EQ(reading()->text(), "m, Y up");
}

TEST_F(ImportWindow, VariantsOfMaterialsAreChosenThere) {
    demo::Ottermere made = demo::makeOttermere({0.2, 0.15, 16}, 1);
    Scene& scene = made.scene;
    scene.rest["extensions"]["KHR_materials_variants"]["variants"] = {{{"name", "dry"}},
                                                                      {{"name", "wet"}}};
    Mesh mesh = *scene.assets.at(0).mesh;
    const int other = mesh.parts.at(0).material == 0 ? 1 : 0;
    mesh.parts[0].rest["extensions"]["KHR_materials_variants"]["mappings"] = {
        {{"material", other}, {"variants", {1}}}};
    const std::string name = mesh.name;
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    const std::string file = (folder_ / "variants.glb").string();
    ASSERT_TRUE(writeGltf(scene, file, {}, noProgress()));
    open(file);
    const auto materialNow = [&] {
        const Scene& now = *window_->document().source();
        for (const Asset& asset : now.assets)
            if (asset.mesh->name == name)
                return elementOf(now.materials, asset.mesh->parts[0].material).name;
        return std::string();
    };
    const std::string before = materialNow();
    entry("wet")->trigger();
    ASSERT_TRUE(settle());
    EXPECT_NE(materialNow(), before);
    entry("dry")->trigger();
    ASSERT_TRUE(settle());
    EXPECT_EQ(materialNow(), before);
}

}  // namespace
}  // namespace flentro::app
