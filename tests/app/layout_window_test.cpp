// Sharing, splitting, merging, atlas, shadows and stand-ins in the real window.

#include <QCheckBox>
#include <QTableWidget>

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
        target.instancing = false;
        at(target.limits, Measure::DrawCalls) = 100;
        window_->document().setTarget(target, "no instancing");
        ASSERT_TRUE(settle());
    }
    Document& document() { return window_->document(); }
    const MergeReport& merged() { return *document().shownParcels(); }
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
    EXPECT_FALSE(document().settingsOf<ShareSettings>(document().selectedFix())->moved);
    document().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(document().settingsOf<ShareSettings>(document().selectedFix())->moved);
}

TEST_F(LayoutPages, MergingShowsBothSides) {
    openMarketWithDearCalls();
    const double calls = here(Measure::DrawCalls);
    addFix("merge");
    ASSERT_NE(document().shownParcels(), nullptr);
    ASSERT_FALSE(merged().parcels.empty());
    EXPECT_LT(here(Measure::DrawCalls), calls);
    window_->fixes().merge().turnTo(MergeInstrument::Parcels);
    auto* parcels = find<QTableWidget>("Parcels");
    EXPECT_EQ(parcels->rowCount(), static_cast<int>(merged().parcels.size()));
    parcels->selectRow(1);
    EXPECT_EQ(document().chosenParcel(), 1);
    window_->showStep(WorkStep::Proof);
    EXPECT_EQ(document().shownParcels(), nullptr) << "no marks over a proof";
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
    EXPECT_NEAR(document().settingsOf<MergeSettings>(document().selectedFix())->parcel, 10, 1);
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
            const int selected = document().selectedObject();
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
        const Document::Done done = document().doneBy(document().selectedFix());
        ASSERT_TRUE(done) << key;
        EXPECT_GT(done.record->before.objects, 0) << key;
        EXPECT_FALSE(done.record->summary.empty()) << key;
    }
    EXPECT_EQ(document().evaluation().steps.size(), 5U);
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
    EXPECT_EQ(document().selectedObject(),
              static_cast<int>(document().result()->objects[culled[0]].origins[0]));
}

}  // namespace
}  // namespace flentro::app
