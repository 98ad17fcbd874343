// Forms made from the fields of fixes: every setting can be reached, changed and undone.

#include <QInputDialog>
#include <QPointer>

#include "fixes/culling/culling.h"
#include "fixes/ladder/ladder.h"
#include "instruments/field_table.h"
#include "project/order_file.h"
#include "window_fixture.h"

namespace flentro::app {
namespace {

class Forms : public Window {
protected:
    /// Settings that a click or a key changes show up here.
    Json now() { return toJson(window_->document().project().order.fixes.at(0).settings); }
    /// The editor of a table field in the instrument that is shown.
    FieldTableEditor* table(const char* name) {
        for (auto* editor : window_->findChildren<FieldTableEditor*>())
            if (editor->accessibleName() == name && editor->isVisible()) return editor;
        ADD_FAILURE() << "no table " << name;
        return nullptr;
    }
    /// Types a text into a cell, as an artist does.
    void type(FieldTableEditor* editor, int row, int column, const QString& text) {
        auto* cells = editor->findChild<QTableWidget*>();
        cells->setCurrentCell(row, column);
        cells->editItem(cells->item(row, column));
        auto* line = cells->viewport()->findChild<QLineEdit*>();
        ASSERT_TRUE(line);
        line->selectAll();
        QTest::keyClicks(line, text);
        QTest::keyClick(line, Qt::Key_Return);
        ASSERT_TRUE(settle());
    }
    /// Answers the next dialog that asks for an asset with its first entry.
    void acceptNextDialog() {
        QTimer::singleShot(0, window_.get(), [] {
            for (QWidget* widget : QApplication::topLevelWidgets())
                if (auto* dialog = qobject_cast<QInputDialog*>(widget)) dialog->accept();
        });
    }
};

/// A number, switch or choice of every fix, whichever instrument shows it, is that of the fix.
TEST_F(Forms, EveryPlainSettingOfEveryFixIsThere) {
    openMarket();
    for (const FixKind* kind : fixKinds()) {
        window_->document().projectModel().setOrder({}, "none");
        addFix(kind->key.c_str());
        for (const Field& field : kind->fields) {
            SCOPED_TRACE(kind->key + ": " + field.key);
            const QString label = field.text.label;
            bool found = field.type == Field::Type::Runs || field.type == Field::Type::Names;
            for (const auto* widget : window_->fixes().findChildren<QWidget*>()) {
                const auto* box = qobject_cast<const QCheckBox*>(widget);
                found = found || widget->accessibleName() == label || (box && box->text() == label);
            }
            EXPECT_TRUE(found) << "cannot be reached";
        }
    }
}

TEST_F(Forms, NumbersKeepTheirUnitAndCanBeUndone) {
    openMarket();
    addFix("ladder");
    window_->fixes().ladder().turnTo(LadderInstrument::Settings);
    auto* hysteresis = find<QDoubleSpinBox>("Hysteresis", &window_->fixes().ladder());
    EXPECT_EQ(hysteresis->value(), 10);
    EXPECT_EQ(hysteresis->suffix(), " %");
    hysteresis->setValue(25);
    ASSERT_TRUE(settle());
    EXPECT_EQ(now()["hysteresis"], 0.25);
    window_->document().projectModel().undoStack().undo();
    ASSERT_TRUE(settle());
    EXPECT_EQ(hysteresis->value(), 10);
    EXPECT_EQ(hysteresis->maximum(), 50) << "as in files";
}

TEST_F(Forms, AssetsWithoutLevelsAreSetByHand) {
    openMarket();
    addFix("ladder");
    window_->fixes().ladder().turnTo(LadderInstrument::ByHand);
    auto* fewest = find<QDoubleSpinBox>("Assets from", &window_->fixes().ladder());
    fewest->setValue(900);
    ASSERT_TRUE(settle());
    EXPECT_EQ(now()["minTriangles"], 900);
    FieldTableEditor* assets = table("Single assets");
    const auto* hint = assets->findChild<QLabel*>();
    EXPECT_TRUE(hint->isVisible()) << "an empty table says why it is empty";
    acceptNextDialog();
    QTest::mouseClick(assets->findChildren<QPushButton*>()[0], Qt::LeftButton);
    ASSERT_TRUE(settle());
    ASSERT_EQ(now()["overrides"].size(), 1U);
    EXPECT_FALSE(hint->isVisible());
    const std::string asset = now()["overrides"].begin().key();
    // No levels at all: a switch in the table.
    auto* cells = assets->findChild<QTableWidget*>();
    cells->item(0, 1)->setCheckState(Qt::Checked);
    ASSERT_TRUE(settle());
    EXPECT_EQ(now()["overrides"][asset]["skip"], true);
    for (const Asset& each : window_->document().result()->assets)
        EXPECT_TRUE(each.mesh->name != asset || each.ladder.empty());
    type(assets, 0, 2, "4, 9.5");
    EXPECT_EQ(now()["overrides"][asset]["switchDistances"], Json({4.0, 9.5}));
    // What cannot be is refused with a reason, and the cell shows what holds.
    type(assets, 0, 2, "9, 4");
    EXPECT_THAT(failure_, HasSubstr("switchDistances' is [9,4]"));
    EXPECT_EQ(cells->item(0, 2)->text(), "4, 9.5");
    cells->setCurrentCell(0, 0);
    QTest::mouseClick(assets->findChildren<QPushButton*>()[1], Qt::LeftButton);
    ASSERT_TRUE(settle());
    EXPECT_TRUE(now()["overrides"].empty());
}

TEST_F(Forms, SizeClassesAreAddedNamedAndRemoved) {
    openMarket();
    addFix("culling");
    window_->fixes().culling().turnTo(CullingInstrument::ByHand);
    FieldTableEditor* classes = table("Size classes");
    auto* cells = classes->findChild<QTableWidget*>();
    ASSERT_EQ(cells->rowCount(), 5);
    QTest::mouseClick(classes->findChildren<QPushButton*>()[0], Qt::LeftButton);
    ASSERT_TRUE(settle());
    ASSERT_EQ(now()["classes"].size(), 6U);
    EXPECT_EQ(now()["classes"][4]["largest"], 40) << "between 20 m and no end";
    type(classes, 4, 0, "houses");
    type(classes, 4, 1, "60");
    EXPECT_EQ(now()["classes"][4]["name"], "houses");
    EXPECT_EQ(now()["classes"][4]["largest"], 60);
    type(classes, 4, 1, "10");
    EXPECT_THAT(failure_, HasSubstr("must rise in 'largest'"));
    EXPECT_EQ(now()["classes"][4]["largest"], 60);
    cells->setCurrentCell(4, 0);
    QTest::mouseClick(classes->findChildren<QPushButton*>()[1], Qt::LeftButton);
    ASSERT_TRUE(settle());
    EXPECT_EQ(toJson(FixSettings(CullingSettings{})), now());
}

TEST_F(Forms, WorkOrdersAreWrittenAndReadByUndoableSteps) {
    openMarket();
    addFix("tidy");
    addFix("culling");
    const Json before = toJson(window_->document().project().order);
    const QString file = QString::fromStdString((folder_ / "order.json").string());
    window_->fixes().writeOrder(file);
    EXPECT_EQ(toJson(*loadWorkOrder(file.toStdString())), before);
    window_->document().projectModel().setOrder({}, "none");
    window_->fixes().readOrder(file);
    ASSERT_TRUE(settle());
    EXPECT_EQ(toJson(window_->document().project().order), before);
    window_->document().projectModel().undoStack().undo();
    EXPECT_TRUE(window_->document().project().order.fixes.empty());
    ASSERT_TRUE(settle());
    test::writeText(file.toStdString(), R"({"format": "flentro-work-order", "version": 2,
        "fixes": [{"fix": "ladder", "settings": {"ratio": 7}}]})");
    window_->fixes().readOrder(file);
    EXPECT_THAT(failure_, HasSubstr("order.json: fix 1 (ladder): 'ratio' is 7"));
    EXPECT_TRUE(window_->document().project().order.fixes.empty());
}

}  // namespace
}  // namespace flentro::app
