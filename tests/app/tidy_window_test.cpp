#include <QCheckBox>
#include <QTableWidget>

#include "base/index.h"
#include "fixes/tidy/tidy.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class TidyPage : public Window {
protected:
    const TidySettings& settings() {
        return (*window_->document().project().order.fixes[0].settings.as<TidySettings>());
    }
    QCheckBox* box(const QString& text) {
        for (QCheckBox* candidate : window_->fixes().tidy().findChildren<QCheckBox*>())
            if (candidate->text() == text) return candidate;
        ADD_FAILURE() << "no box " << text.toStdString();
        return nullptr;
    }
    QTableWidget* assets() { return find<QTableWidget>("Assets that lose triangles"); }
};

TEST_F(TidyPage, StepsAreSwitchedAndCounted) {
    openMarket();
    addFix("tidy");
    const double tidied = here(Measure::Triangles);
    ASSERT_GT(assets()->rowCount(), 0) << "the quay is flat";
    box("Dissolve flat surfaces")->click();
    ASSERT_TRUE(settle());
    EXPECT_FALSE(settings().dissolve);
    EXPECT_GT(here(Measure::Triangles), tidied);
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(box("Dissolve flat surfaces")->isChecked());
    EXPECT_DOUBLE_EQ(here(Measure::Triangles), tidied);
}

TEST_F(TidyPage, ShowsWhereItTakesFrom) {
    openMarket();
    addFix("tidy");
    assets()->selectRow(0);
    button("Show me")->click();
    ASSERT_TRUE(settle());
    const int object = window_->document().selection().object();
    ASSERT_GE(object, 0);
    const Scene& scene = *window_->document().source();
    EXPECT_EQ(scene.mesh(elementOf(scene.objects, object)).name,
              assets()->item(0, 0)->text().toStdString());
    button("Before / after")->click();
    EXPECT_EQ(window_->view().showing(), Showing::Original);
    button("Before / after")->click();
    EXPECT_EQ(window_->view().showing(), Showing::Result);
}

TEST_F(TidyPage, MarksWhatGoes) {
    openMarket();
    addFix("tidy");
    View3D& view = window_->view();
    const QImage before = view.grabFramebuffer();
    button("Mark what goes")->click();
    ASSERT_TRUE(settle());
    ASSERT_TRUE(view.hasPreview());
    EXPECT_NE(view.grabFramebuffer(), before);
    EXPECT_THAT(view.previewText().toStdString(), HasSubstr("placed"));
    key(Qt::Key_Escape);
    ASSERT_TRUE(settle());
    EXPECT_FALSE(view.hasPreview());
    EXPECT_EQ(view.grabFramebuffer(), before);
    button("Mark what goes")->click();
    ASSERT_TRUE(settle());
    box("Dissolve flat surfaces")->click();
    ASSERT_TRUE(settle());
    EXPECT_FALSE(view.hasPreview()) << "it would show what is no longer so";
}

TEST_F(TidyPage, TakesWhatTheSurveyHasNeverSeen) {
    openMarket();
    addFix("tidy");
    EXPECT_FALSE(button("Never seen, from survey")->isEnabled());
    // Meshes must be as they are in the file when the survey looks at them.
    WorkOrder order = window_->document().project().order;
    order.fixes[0].on = false;
    window_->document().projectModel().setOrder(order, "off");
    ASSERT_TRUE(settle());
    surveyCoarsely();
    order.fixes[0].on = true;
    window_->document().projectModel().setOrder(order, "on");
    ASSERT_TRUE(settle());
    const double before = here(Measure::Triangles);
    button("Never seen, from survey")->click();
    ASSERT_TRUE(settle());
    EXPECT_FALSE(settings().unseen.empty());
    EXPECT_LE(here(Measure::Triangles), before);
    EXPECT_TRUE(box("Drop what was never seen")->isChecked());
    button("Forget")->click();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(settings().unseen.empty());
    EXPECT_DOUBLE_EQ(here(Measure::Triangles), before);
}

TEST_F(TidyPage, EachOfTwoFixesOfAKindHasItsOwnSettings) {
    openMarket();
    addFix("tidy");
    WorkOrder order = window_->document().project().order;
    TidySettings other;
    other.dissolve = false;
    const int second = order.add(other).id;
    window_->document().projectModel().setOrder(order, "a second one");
    ASSERT_TRUE(settle());
    EXPECT_TRUE(box("Dissolve flat surfaces")->isChecked());
    window_->document().selection().selectFix(second);
    ASSERT_TRUE(settle());
    EXPECT_FALSE(box("Dissolve flat surfaces")->isChecked());
}

}  // namespace
}  // namespace flentro::app
