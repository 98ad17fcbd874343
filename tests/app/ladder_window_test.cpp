#include "fixes/ladder/ladder.h"
#include "window_fixture.h"

#include <QCheckBox>
#include <QLabel>
#include <QSlider>
#include <QSpinBox>

#include "base/text.h"
#include "fixes/work_order.h"

namespace flentro::app {
namespace {

class LadderPages : public Window {
protected:
    void openLadder(LadderInstrument::Page page) {
        openMarket();
        addFix("ladder");
        instrument().setAsset("bollard");
        instrument().turnTo(page);
        ASSERT_TRUE(settleLooks());
    }
    LadderInstrument& instrument() { return window_->fixes().ladder(); }
    bool settleLooks() {
        return settle() &&
               QTest::qWaitFor([&] { return !instrument().looks().isBusy(); }, kPatience);
    }
    const LadderSettings& settings() {
        return (*window_->document().project().order.fixes[0].settings.as<LadderSettings>());
    }
    const Asset& bollard() {
        for (const Asset& asset : window_->document().result()->assets)
            if (asset.mesh->name == "bollard") return asset;
        ADD_FAILURE() << "no bollard";
        return window_->document().result()->assets[0];
    }
    static double coverage(const QImage& image) {
        double sum = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) sum += qAlpha(image.pixel(x, y)) / 255.0;
        return sum;
    }
    std::string reading() {
        for (QLabel* label : instrument().looks().findChildren<QLabel*>())
            if (label->text().startsWith("Within")) return label->text().toStdString();
        return {};
    }
};

TEST_F(LadderPages, StillsShowTheLevelAtItsSwitchDistance) {
    openLadder(LadderInstrument::Looks);
    auto* levels = find<QComboBox>("Level to look at");
    ASSERT_EQ(levels->count(), static_cast<int>(bollard().levelCount()));
    EXPECT_EQ(levels->currentIndex(), 1);
    EXPECT_GT(coverage(instrument().looks().stills().level()), 20);
    EXPECT_THAT(reading(), HasSubstr("at worst, from six sides"));
    EXPECT_THAT(reading(), HasSubstr(formatMetres(bollard().ladder.levels[0].switchDistance)));
    const double near = coverage(instrument().looks().stills().level());
    levels->setCurrentIndex(levels->count() - 1);
    emit levels->activated(levels->count() - 1);
    ASSERT_TRUE(settleLooks());
    EXPECT_LT(coverage(instrument().looks().stills().level()), near) << "farther away, smaller";
    EXPECT_THAT(reading(), HasSubstr(formatMetres(bollard().ladder.levels.back().switchDistance)));
}

TEST_F(LadderPages, TheSliderGivesAnyCount) {
    openLadder(LadderInstrument::Looks);
    auto* slider = find<QSlider>("Triangles", &instrument().looks());
    const std::string before = reading();
    slider->setValue(slider->maximum() / 2);
    ASSERT_TRUE(settleLooks());
    EXPECT_NE(reading(), before);
    EXPECT_EQ(find<QComboBox>("Level to look at")->currentIndex(), -1) << "none of the levels";
    EXPECT_GT(coverage(instrument().looks().stills().level()), 20);
    find<QSlider>("Distance", &instrument().looks())->setValue(0);
    ASSERT_TRUE(settleLooks());
    EXPECT_EQ(find<QComboBox>("Level to look at")->currentIndex(), 0) << "right before it";
}

TEST_F(LadderPages, WalksAwayAndBack) {
    openLadder(LadderInstrument::Looks);
    auto* levels = find<QComboBox>("Level to look at");
    std::set<int> seen;
    button("Walk away")->click();
    EXPECT_TRUE(QTest::qWaitFor(
        [&] {
            seen.insert(levels->currentIndex());
            return !instrument().looks().isWalking();
        },
        3 * kPatience));
    EXPECT_GE(seen.size(), 3U) << "levels took turns";
    EXPECT_EQ(*seen.rbegin(), static_cast<int>(bollard().levelCount()) - 1) << "and the last";
    EXPECT_EQ(levels->currentIndex(), 0) << "back again";
}

TEST_F(LadderPages, ImportanceIsMarkedAndUndone) {
    openLadder(LadderInstrument::Distances);
    const double normal = bollard().ladder.levels.back().switchDistance;
    auto* importance = find<QComboBox>("Importance");
    emit importance->activated(static_cast<int>(Importance::Hero));
    ASSERT_TRUE(settle());
    EXPECT_NEAR(bollard().ladder.levels.back().switchDistance, 2 * normal, 0.3 * normal);
    EXPECT_EQ(importance->currentIndex(), static_cast<int>(Importance::Hero));
    emit importance->activated(static_cast<int>(Importance::Keep));
    ASSERT_TRUE(settle());
    EXPECT_TRUE(bollard().ladder.empty());
    EXPECT_EQ(find<QComboBox>("Asset")->currentText().toStdString(), "bollard   (no levels)");
    window_->document().projectModel().undoStack().undo();
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->document().project().order.importance.empty());
    EXPECT_DOUBLE_EQ(bollard().ladder.levels.back().switchDistance, normal);
}

TEST_F(LadderPages, CapsOfACrowdChangeWhatIsDrawn) {
    openLadder(LadderInstrument::Distances);
    const double before = here(Measure::Triangles);
    find<QSpinBox>("Copies at LOD 0 at once")->setValue(1);
    ASSERT_TRUE(settle());
    EXPECT_EQ(bollard().ladder.caps, std::vector<int>{1});
    EXPECT_LE(here(Measure::Triangles), before);
    std::size_t finest = 0;
    for (const DrawnObject& drawn : window_->document().here().after.drawn) {
        const Object& object = window_->document().result()->objects[drawn.object];
        if (window_->document().result()->mesh(object).name == "bollard" && drawn.level == 0)
            ++finest;
    }
    EXPECT_LE(finest, 1U);
}

TEST_F(LadderPages, HeldSettingsAreComparedAndSwapped) {
    openLadder(LadderInstrument::Comparison);
    button("Hold to compare")->click();
    const int few = 2;
    WorkOrder order = window_->document().project().order;
    (*order.fixes[0].settings.as<LadderSettings>()).levels = few;
    window_->document().projectModel().setOrder(order, "fewer levels");
    ASSERT_TRUE(settle());
    auto* table = find<QLabel>("Now and held");
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return table->text().contains("triangles here"); }, kPatience));
    EXPECT_THAT(table->text().toStdString(), HasSubstr("now"));
    button("Swap with held")->click();
    ASSERT_TRUE(settle());
    EXPECT_EQ(settings().levels, LadderSettings().levels);
    button("Swap with held")->click();
    ASSERT_TRUE(settle());
    EXPECT_EQ(settings().levels, few);
}

TEST_F(LadderPages, OnlyTheFieldsOfTheRuleCanBeEdited) {
    openLadder(LadderInstrument::Settings);
    auto* rule = find<QComboBox>("Levels by");
    auto* ratio = find<QDoubleSpinBox>("Ratio");
    auto* step = find<QDoubleSpinBox>("Step");
    EXPECT_TRUE(ratio->isEnabled());
    EXPECT_FALSE(step->isEnabled());
    emit rule->activated(static_cast<int>(LevelRule::Deviation));
    EXPECT_EQ(settings().rule, LevelRule::Deviation);
    EXPECT_FALSE(ratio->isEnabled());
    EXPECT_TRUE(step->isEnabled());
}

TEST_F(LadderPages, TheStressYardDrawsAndMeasuresEveryVariant) {
    openLadder(LadderInstrument::Looks);
    button("Stress yard")->click();
    YardDialog* yard = instrument().yard();
    ASSERT_TRUE(yard && yard->isVisible());
    find<QSpinBox>("Copies", yard)->setValue(4);
    const auto measure = [&] {
        yard->measure();
        EXPECT_TRUE(settle());
    };
    measure();
    ASSERT_EQ(yard->report().failure.toStdString(), "");
    const std::size_t levels = bollard().levelCount();
    const auto& figures = yard->report().figures;
    ASSERT_GE(figures.size(), levels + 1) << "levels, and all of them by distance";
    const std::size_t first = figures.size() - levels - 1;  // after "as imported"
    for (std::size_t i = 0; i < levels; ++i) {
        const YardFigures& level = figures[first + i];
        EXPECT_EQ(at(level.counts, Measure::Triangles),
                  4.0 * static_cast<double>(bollard().level(i)->triangles))
            << level.variant.toStdString();
        EXPECT_GT(level.gpuMilliseconds, 0);
        EXPECT_GE(level.frameMilliseconds, level.cpuMilliseconds);
        EXPECT_GT(level.cpuMilliseconds, 0);
        std::set<QRgb> colors;
        for (int x = 0; x < level.picture.width(); x += 7)
            for (int y = 0; y < level.picture.height(); y += 7)
                colors.insert(level.picture.pixel(x, y));
        EXPECT_GT(colors.size(), 10U) << "something was drawn";
    }
    const double together = at(figures.back().counts, Measure::DrawCalls);
    for (QCheckBox* box : yard->findChildren<QCheckBox*>()) box->setChecked(true);
    measure();
    EXPECT_EQ(at(yard->report().figures[first].counts, Measure::DrawCalls),
              4.0 * static_cast<double>(bollard().mesh->parts.size()));
    EXPECT_GE(at(yard->report().figures.back().counts, Measure::DrawCalls), together);
    yard->close();
}

TEST_F(LadderPages, CardsAndTheirMaterialsReachViewAndSurvey) {
    openLadder(LadderInstrument::Settings);
    SurveyRequest request = window_->document().project().survey;
    request.spacing = 30;
    request.faceSize = 64;
    window_->document().projectModel().setSurvey(request, "coarse");
    window_->document().survey().run();
    ASSERT_TRUE(QTest::qWaitFor(
        [&] { return window_->document().survey().surveyed().exists() && window_->isSettled(); },
        3 * kPatience));
    const std::size_t materials = window_->document().result()->materials.size();
    WorkOrder order = window_->document().project().order;
    auto& ladder = (*order.fixes[0].settings.as<LadderSettings>());
    ladder.cardPixels = 40;
    ladder.singlePartFromLevel = 2;
    ladder.plainFromLevel = 1;
    window_->document().projectModel().setOrder(order, "far levels");
    const auto isDone = [&] {
        return window_->isSettled() && !window_->document().survey().isSurveyingAgain();
    };
    ASSERT_TRUE(QTest::qWaitFor(isDone, 3 * kPatience));
    EXPECT_GT(window_->document().result()->materials.size(), materials);
    EXPECT_EQ(describe(*bollard().ladder.levels.back().mesh), "8v 4t");
    EXPECT_GT(drawnShare(), 0.2);
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(QTest::qWaitFor(isDone, 3 * kPatience));
    EXPECT_EQ(window_->document().result()->materials.size(), materials);
}

TEST_F(LadderPages, CountsBelongToTheirSceneWhileNewOnesAreOnTheirWay) {
    openLadder(LadderInstrument::Settings);
    window_->view().setLens(LensKind::Level);
    ASSERT_TRUE(settle());
    int looked = 0;
    const auto look = QObject::connect(&window_->document().evaluator(), &Evaluator::changed, [&] {
        window_->repaint();  // the legend counts levels of a ladder that has become shorter
        const ViewCounts& here = window_->document().here();
        EXPECT_NE(here.result, window_->document().result());
        for (const DrawnObject& drawn : here.after.drawn) {
            const Object& object = here.result->objects[drawn.object];
            const Asset& asset = here.result->asset(object);
            ASSERT_LT(drawn.level, asset.levelCount());
        }
        ++looked;
    });
    WorkOrder order = window_->document().project().order;
    (*order.fixes[0].settings.as<LadderSettings>()).levels = 1;
    window_->document().projectModel().setOrder(order, "one level");
    ASSERT_TRUE(settle());
    QObject::disconnect(look);
    EXPECT_GT(looked, 0);
    EXPECT_EQ(window_->document().here().result->assets.size(),
              window_->document().result()->assets.size());
}

}  // namespace
}  // namespace flentro::app
