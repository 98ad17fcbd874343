// Sharing, splitting, merging, atlas, shadows and stand-ins in the real window.

#include <QCheckBox>
#include <QTableWidget>

#include "fixes/atlas/atlas.h"
#include "fixes/culling/culling.h"
#include "fixes/merge/merge.h"
#include "fixes/share/share.h"
#include "fixes/split/split.h"
#include "scene/origins.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class LayoutPages : public Window {
protected:
    /// Draws each object in a call of its own, and calls are dear.
    void openMarketWithDearCalls() {
        openMarket();
        Target target = window_->document().target();
        target.batching = Batching::Nothing;
        at(target.limits, Measure::DrawCalls) = 100;
        window_->document().projectModel().setTarget(target, "no batching");
        ASSERT_TRUE(settle());
    }
    Document& document() { return window_->document(); }
    const MergeReport& merged() { return *document().evaluator().shownParcels(); }
};

TEST_F(LayoutPages, SharingTellsWhatItFound) {
    openMarket();
    const std::size_t assets = document().source()->assets.size();
    addFix("share");
    EXPECT_LT(document().result()->assets.size(), assets) << "crates are stored under many names";
    auto* table = find<QTableWidget>("Kept for all its copies");
    ASSERT_GT(table->rowCount(), 0);
    EXPECT_TRUE(table->isVisible());
    for (QCheckBox* box : window_->fixes().findChildren<QCheckBox*>())
        if (box->isVisible() && box->text().startsWith("Meshes that were turned")) box->click();
    ASSERT_TRUE(settle());
    EXPECT_FALSE(document()
                     .projectModel()
                     .settingsOf<ShareSettings>(document().selection().fix())
                     ->matchTransformed);
    document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(document()
                    .projectModel()
                    .settingsOf<ShareSettings>(document().selection().fix())
                    ->matchTransformed);
}

TEST_F(LayoutPages, MergingShowsBothSides) {
    openMarketWithDearCalls();
    const double calls = here(Measure::DrawCalls);
    addFix("merge");
    ASSERT_NE(document().evaluator().shownParcels(), nullptr);
    ASSERT_FALSE(merged().parcels.empty());
    EXPECT_LT(here(Measure::DrawCalls), calls);
    window_->fixes().merge().turnTo(MergeInstrument::Parcels);
    auto* parcels = find<QTableWidget>("Parcels");
    const QTableWidgetItem* first = parcels->item(0, 0);
    EXPECT_LT(QFontMetrics(first->font()).horizontalAdvance(first->text()),
              parcels->columnWidth(0) - 12)
        << "the name is whole: " << first->text().toStdString();
    EXPECT_EQ(first->toolTip().toStdString(), merged().parcels[0].name);
    EXPECT_EQ(parcels->rowCount(), static_cast<int>(merged().parcels.size()));
    parcels->selectRow(1);
    EXPECT_EQ(document().selection().parcel(), 1);
    window_->showStep(WorkStep::Proof);
    EXPECT_EQ(document().evaluator().shownParcels(), nullptr) << "no marks over a proof";
    window_->showStep(WorkStep::Fixes);
    // Left apart, its objects are there again.
    const std::vector<std::uint32_t> origins = merged().parcels[1].origins;
    button("Leave apart")->click();
    ASSERT_TRUE(settle());
    const OriginMap map(*document().result());
    for (const std::uint32_t origin : origins) {
        ASSERT_EQ(map.shownBy(origin).size(), 1U);
        EXPECT_EQ(document().result()->objects[map.shownBy(origin)[0]].origins.size(), 1U);
    }
    button("Take all back")->click();
    ASSERT_TRUE(settle());
    EXPECT_EQ(OriginMap(*document().result()).shownBy(origins[0]).size(), 1U);
}

TEST_F(LayoutPages, GroupsLensTellsMergedFromTheRest) {
    openMarketWithDearCalls();
    addFix("merge");
    window_->fixes().merge().turnTo(MergeInstrument::Parcels);
    button("Tint")->click();
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->view().lens(), LensKind::Groups);
    const Scene& result = *document().result();
    const auto legend = legendFor(LensKind::Groups, result, document().here().after, {});
    ASSERT_EQ(legend.size(), 3U);
    std::size_t merged = 0;
    for (const DrawnObject& drawn : document().here().after.drawn)
        merged += result.objects[drawn.object].origins.size() > 1;
    ASSERT_GT(merged, 0U);
    EXPECT_TRUE(legend[0].text.contains(QString("merged: %1 objects").arg(merged)))
        << legend[0].text.toStdString();
    const QImage tinted = window_->view().grabFramebuffer();
    document().projectModel().setOrder({}, "none");
    ASSERT_TRUE(settle());
    EXPECT_NE(window_->view().grabFramebuffer(), tinted) << "all grey again";
}

TEST_F(LayoutPages, AFixThatTakesAnUndoneOnesNumberHasItsOwnPage) {
    openMarket();
    for (const char* key : {"share", "split", "atlas", "shadows", "standins", "merge", "tidy"}) {
        addFix(key);
        document().projectModel().undoStack().undo();
        ASSERT_TRUE(settle()) << key;
    }
    EXPECT_TRUE(document().project().order.fixes.empty());
}

TEST_F(LayoutPages, EveryPageFitsItsPanel) {
    openMarket();
    constexpr int wide = 440;  // in the default layout
    for (const char* key :
         {"tidy", "share", "split", "atlas", "ladder", "culling", "shadows", "merge", "standins"}) {
        addFix(key);
        EXPECT_LE(window_->fixes().minimumSizeHint().width(), wide) << key;
        for (QTabBar* tabs : window_->fixes().findChildren<QTabBar*>()) {
            if (!tabs->isVisible()) continue;
            for (int i = tabs->count() - 1; i >= 0; --i) {
                tabs->setCurrentIndex(i);
                EXPECT_LE(window_->fixes().minimumSizeHint().width(), wide)
                    << key << ": " << tabs->tabText(i).toStdString();
            }
        }
    }
}

TEST_F(LayoutPages, SplitListsItsPieces) {
    openMarket();
    addFix("split");
    const Evaluator::Done done = document().evaluator().doneBy(document().selection().fix());
    auto* table = find<QTableWidget>("Cut");
    ASSERT_EQ(table->rowCount(),
              static_cast<int>(done.record->reportAs<SplitReport>()->meshes.size()));
    std::size_t pieces = 0;
    for (const SplitMesh& cut : done.record->reportAs<SplitReport>()->meshes)
        pieces += (cut.pieces - 1) * cut.copies;
    EXPECT_EQ(pieces, done.after->objects.size() - done.before->objects.size());
}

TEST_F(LayoutPages, ThingsFadeInsideTheirBand) {
    openMarket();
    addFix("culling");
    const auto fade = [&](double share) {
        document().projectModel().changeFix<CullingSettings>(
            document().selection().fix(), "fade", [&](CullingSettings& s) { s.fade = share; });
        EXPECT_TRUE(settle());
        return window_->view().grabFramebuffer();
    };
    EXPECT_NE(fade(0), fade(0.9));
    EXPECT_EQ(fade(0), fade(0));
}

TEST_F(LayoutPages, NearerFarPlaneIsTakenFromTheSurvey) {
    openMarket();
    addFix("culling");
    window_->fixes().culling().turnTo(CullingInstrument::Far);
    auto* losses = find<QTableWidget>("What nearer far planes would cost");
    EXPECT_EQ(losses->rowCount(), 0) << "nothing is known before a survey";
    surveyCoarsely();
    ASSERT_GT(losses->rowCount(), 1);
    losses->selectRow(0);
    button("Take this far plane")->click();
    ASSERT_TRUE(settle());
    const auto* settings =
        document().projectModel().settingsOf<CullingSettings>(document().selection().fix());
    ASSERT_GT(settings->farPlane, 0);
    for (const Object& object : document().result()->objects)
        EXPECT_LE(object.culling.end, settings->farPlane);
    const Evaluator::Done done = document().evaluator().doneBy(document().selection().fix());
    ASSERT_TRUE(done.step->worstBefore && done.step->worstAfter) << "the survey's worst views";
    EXPECT_LE(at(*done.step->worstAfter, Measure::Objects),
              at(*done.step->worstBefore, Measure::Objects));
}

TEST_F(LayoutPages, AtlasMarksDensities) {
    openMarket();
    addFix("atlas");
    // The small market's pictures are too small for a gutter.
    document().projectModel().changeFix<AtlasSettings>(document().selection().fix(), "no gutter",
                                                       [](AtlasSettings& s) { s.gutter = 0; });
    ASSERT_TRUE(settle());
    const Evaluator::Done done = document().evaluator().doneBy(document().selection().fix());
    ASSERT_FALSE(done.record->reportAs<AtlasReport>()->packings.empty());
    auto* table = find<QTableWidget>("Textures on this page");
    ASSERT_GT(table->rowCount(), 1);
    AtlasInstrument* instrument = window_->fixes().findChild<AtlasInstrument*>();
    EXPECT_FALSE(instrument->picture().places()[0].tint.isValid());
    for (QCheckBox* box : instrument->findChildren<QCheckBox*>())
        if (box->text() == "Density") box->click();
    EXPECT_TRUE(instrument->picture().places()[0].tint.isValid());
}

TEST_F(LayoutPages, SizeIsDraggedAndAssetsAreChosen) {
    openMarketWithDearCalls();
    addFix("merge");
    MergeInstrument& instrument = window_->fixes().merge();
    ASSERT_GT(merged().size, 0);
    MergePlot& plot = instrument.plot();
    const QPoint from = plot.sizePixel().toPoint();
    const QPoint to(static_cast<int>(plot.xAxis->coordToPixel(10)), from.y());
    QTest::mousePress(&plot, Qt::LeftButton, Qt::NoModifier, from);
    QTest::mouseMove(&plot, (from + to) / 2);
    QTest::mouseMove(&plot, to);
    QTest::mouseRelease(&plot, Qt::LeftButton, Qt::NoModifier, to);
    ASSERT_TRUE(settle());
    EXPECT_NEAR(
        document().projectModel().settingsOf<MergeSettings>(document().selection().fix())->parcel,
        10, 1);
    EXPECT_NEAR(merged().size, 10, 1);
    instrument.turnTo(MergeInstrument::Assets);
    auto* assets = find<QTableWidget>("Merge or instance");
    int row = 0;
    while (row < assets->rowCount() && assets->item(row, 4)->text() != "merged") ++row;
    ASSERT_LT(row, assets->rowCount());
    const QString asset = assets->item(row, 0)->text();
    assets->selectRow(row);
    auto* choice = find<QComboBox>("This asset is");
    choice->setCurrentIndex(2);
    emit choice->activated(2);
    ASSERT_TRUE(settle());
    for (const MergeVerdict& verdict : merged().verdicts)
        EXPECT_NE(verdict.asset, asset.toStdString()) << "never merged: no candidate any more";
}

TEST_F(LayoutPages, PickingAndWhatIfReachThroughMergedGeometry) {
    openMarketWithDearCalls();
    addFix("merge");
    // A click on merged geometry selects the object that it came from.
    View3D& view = window_->view();
    int found = -1;
    for (int y = 80; y < view.height() - 200 && found < 0; y += 23)
        for (int x = 40; x < view.width() - 40 && found < 0; x += 37) {
            click(&view, {x, y});
            const int selected = document().selection().object();
            if (selected < 0) continue;
            const OriginMap map(*document().result());
            const auto shown = map.shownBy(static_cast<std::size_t>(selected));
            if (!shown.empty() && document().result()->objects[shown[0]].origins.size() > 1)
                found = selected;
        }
    ASSERT_GE(found, 0) << "no merged object under the pointer";
    const double triangles = here(Measure::Triangles);
    document().switchOff({static_cast<std::size_t>(found)});
    ASSERT_TRUE(settle());
    EXPECT_EQ(here(Measure::Triangles), triangles) << "its parcel still shows the others";
    const OriginMap map(*document().result());
    const Object& parcel =
        document().result()->objects[map.shownBy(static_cast<std::size_t>(found))[0]];
    document().switchOff({parcel.origins.begin(), parcel.origins.end()});
    ASSERT_TRUE(settle());
    EXPECT_LT(here(Measure::Triangles), triangles) << "now all of it is off";
}

TEST_F(LayoutPages, EveryFixHasItsAccount) {
    openMarket();
    for (const char* key : {"share", "split", "atlas", "shadows", "standins"}) {
        addFix(key);
        const Evaluator::Done done = document().evaluator().doneBy(document().selection().fix());
        ASSERT_TRUE(done) << key;
        EXPECT_GT(done.record->before.objects, 0) << key;
        EXPECT_FALSE(done.record->summary.empty()) << key;
        EXPECT_FALSE(window_->fixes().account().isVisible());
        window_->fixes().showAccount(true);
        EXPECT_TRUE(window_->fixes().account().isVisible()) << key;
        window_->fixes().showAccount(false);
    }
    EXPECT_EQ(document().evaluator().evaluation().steps.size(), 5U);
    EXPECT_GT(drawnShare(), 0.05) << "and the scene is still drawn";
}

TEST_F(LayoutPages, CullingListsWhatGoesFromHere) {
    openMarket();
    addFix("culling");
    auto* tabs = window_->fixes().culling().findChild<QTabBar*>();
    tabs->setCurrentIndex(1);
    ASSERT_TRUE(settle());
    auto* gone = find<QTableWidget>("Objects in view that are gone from here");
    const auto culled = culledFrom(*document().result(), document().target(), document().view());
    EXPECT_EQ(gone->rowCount(), static_cast<int>(culled.size()));
    ASSERT_GT(gone->rowCount(), 0);
    gone->selectRow(0);
    EXPECT_EQ(document().selection().object(),
              static_cast<int>(document().result()->objects[culled[0]].origins[0]));
}

}  // namespace
}  // namespace flentro::app
