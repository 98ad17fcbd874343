// The inventory in the real window: tables of each kind, and marks for many things at once.

#include <QHeaderView>
#include <QScrollArea>
#include <QScrollBar>

#include "app/window_fixture.h"

namespace flentro::app {
namespace {

class InventoryWindow : public Window {
protected:
    void turnTo(InventoryPage::Kind kind) {
        window_->showStep(WorkStep::Findings);
        window_->findings().turnTo(FindingsPanel::All);
        page().turnTo(kind);
        ASSERT_TRUE(QTest::qWaitFor([&] { return !page().isListing() && table()->rowCount() > 0; },
                                    kPatience));
        ASSERT_TRUE(settle());
    }
    InventoryPage& page() { return window_->findings().inventory(); }
    QTableWidget* table() { return find<QTableWidget>("Inventory"); }
    /// The first cells of a column, in the table's order.
    std::vector<std::string> column(int column) {
        std::vector<std::string> texts;
        for (int row = 0; row < table()->rowCount(); ++row)
            texts.push_back(table()->item(row, column)->text().toStdString());
        return texts;
    }
    void choose(const std::string& name, bool more = false) {
        const auto names = column(0);
        const auto at = std::find(names.begin(), names.end(), name);
        ASSERT_NE(at, names.end()) << name;
        table()->selectionModel()->select(
            table()->model()->index(static_cast<int>(at - names.begin()), 0),
            (more ? QItemSelectionModel::Select : QItemSelectionModel::ClearAndSelect) |
                QItemSelectionModel::Rows);
    }
};

TEST_F(InventoryWindow, ListsEveryKindAsOftenAsThereIs) {
    openMarket();
    const Scene& scene = *window_->document().source();
    turnTo(InventoryPage::Assets);
    EXPECT_EQ(table()->rowCount(), static_cast<int>(scene.assets.size()));
    turnTo(InventoryPage::Textures);
    EXPECT_EQ(table()->rowCount(), static_cast<int>(scene.images.size()));
    turnTo(InventoryPage::Materials);
    EXPECT_EQ(table()->rowCount(), static_cast<int>(scene.materials.size()));
    turnTo(InventoryPage::Lights);
    EXPECT_EQ(table()->rowCount(), static_cast<int>(scene.placedLights.size()));
    const auto shadows = column(4);
    EXPECT_EQ(std::count(shadows.begin(), shadows.end(), "cast"), 22);
    const QRect first = table()->visualItemRect(table()->item(0, 0));
    EXPECT_GT(first.height(), 10) << "it can be seen";
    EXPECT_GT(first.width(), 100) << "names have the room";
}

/// The page of causes, which is higher, does not make it scroll.
TEST_F(InventoryWindow, ItsButtonsNeedNoScrolling) {
    window_->resize(1280, 800);
    openMarket();
    window_->showStep(WorkStep::Findings);
    ASSERT_TRUE(settle());
    turnTo(InventoryPage::Textures);
    QWidget* area = &window_->findings();
    while (area && !qobject_cast<QScrollArea*>(area)) area = area->parentWidget();
    ASSERT_TRUE(area);
    EXPECT_EQ(qobject_cast<QScrollArea*>(area)->verticalScrollBar()->maximum(), 0);
}

TEST_F(InventoryWindow, SortsByAnyColumnAndFilters) {
    openMarket();
    turnTo(InventoryPage::Assets);
    emit table()->horizontalHeader()->sectionClicked(0);
    auto names = column(0);
    EXPECT_TRUE(std::is_sorted(names.rbegin(), names.rend()));
    emit table()->horizontalHeader()->sectionClicked(0);
    names = column(0);
    EXPECT_TRUE(std::is_sorted(names.begin(), names.end()));
    emit table()->horizontalHeader()->sectionClicked(1);
    EXPECT_GE(table()->item(0, 1)->text().toInt(), table()->item(1, 1)->text().toInt());
    find<QLineEdit>("Filter inventory")->setText("barrel");
    EXPECT_EQ(column(0), std::vector<std::string>{"barrel"});
    EXPECT_EQ(table()->item(0, 1)->text().toStdString(), "12");
}

TEST_F(InventoryWindow, MarksManyAssetsAndUndoesIt) {
    openMarket();
    turnTo(InventoryPage::Assets);
    choose("barrel");
    choose("bench", true);
    EXPECT_EQ(table()->selectionModel()->selectedRows().size(), 2);
    auto* marks = find<QComboBox>("Mark as");
    marks->setCurrentIndex(4);
    emit marks->activated(4);
    ASSERT_TRUE(settle());
    const auto& importance = window_->document().project().order.importance;
    EXPECT_EQ(importance.size(), 2U);
    EXPECT_EQ(importance.at("bench"), Importance::Keep);
    ASSERT_TRUE(QTest::qWaitFor(
        [&] {
            const auto shown = column(5);
            return std::count(shown.begin(), shown.end(), "keep") == 2;
        },
        kPatience));
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_TRUE(window_->document().project().order.importance.empty());
}

TEST_F(InventoryWindow, SwitchesATextureOffInPictureAndMemory) {
    openMarket();
    turnTo(InventoryPage::Textures);
    const auto memory = [&] {
        return at(window_->document().here().after.counts, Measure::TextureBytes);
    };
    const double before = memory();
    const QImage painted = window_->view().grabFramebuffer();
    choose("planks oak");
    click(button("What if off"), {5, 5});
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().selection().without().images.size(), 1U);
    const auto& images = window_->document().source()->images;
    const auto oak = std::find_if(images.begin(), images.end(),
                                  [](const Image& image) { return image.name == "planks oak"; });
    EXPECT_NEAR(before - memory(),
                TextureMemory(*window_->document().source(), window_->document().target())
                    .of(static_cast<std::size_t>(oak - images.begin())),
                1);
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return window_->view().grabFramebuffer() != painted; }, kPatience))
        << "stalls are drawn in their plain colour";
    window_->document().selection().switchAllOn();
    ASSERT_TRUE(settle());
    EXPECT_EQ(memory(), before);
    ASSERT_TRUE(
        QTest::qWaitFor([&] { return window_->view().grabFramebuffer() == painted; }, kPatience));
}

TEST_F(InventoryWindow, SwitchesLightsOffAndTheirShadows) {
    openMarket();
    turnTo(InventoryPage::Lights);
    choose("lantern light 02");  // one of those that cast shadows
    choose("lantern light 03", true);
    click(button("What if off"), {5, 5});
    ASSERT_TRUE(settle());
    EXPECT_EQ(window_->document().selection().without().count(), 2U);
    window_->document().selection().switchAllOn();
    click(button("Cast none"), {5, 5});
    ASSERT_TRUE(settle());
    const auto casting = [&] {
        int count = 0;
        for (const PlacedLight& light : window_->document().source()->placedLights)
            count += light.castsShadow;
        return count;
    };
    EXPECT_EQ(casting(), 21);
    ASSERT_TRUE(QTest::qWaitFor([&] { return !page().isListing(); }, kPatience));
    choose("lantern light 03");
    click(button("Cast shadows"), {5, 5});
    ASSERT_TRUE(settle());
    EXPECT_EQ(casting(), 22);
    EXPECT_TRUE(
        window_->document().project().import.shadowLights->names.contains("lantern light 03"));
    window_->document().projectModel().undoStack().undo();
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_FALSE(window_->document().project().import.shadowLights.has_value());
    EXPECT_EQ(casting(), 22) << "as the file says";
}

}  // namespace
}  // namespace flentro::app
