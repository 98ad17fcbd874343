#include "widgets/key_sheet.h"

#include <QGridLayout>
#include <QLabel>
#include <QMenu>
#include <QMenuBar>

#include "base/index.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kRows = 22;  ///< Of one column.

struct Key {
    QString keys;
    QString does;
};

std::vector<Key> viewKeys() {
    return {{QObject::tr("W A S D, arrows"), QObject::tr("Walk")},
            {QObject::tr("Shift"), QObject::tr("Walk faster")},
            {QObject::tr("Q, E"), QObject::tr("Down, up")},
            {QObject::tr("Space"), QObject::tr("Original or result")},
            {QObject::tr("Drag left"), QObject::tr("Turn around the point under the pointer")},
            {QObject::tr("Drag right"), QObject::tr("Slide")},
            {QObject::tr("Wheel"), QObject::tr("Toward the pointer")},
            {QObject::tr("Double click"), QObject::tr("Stand there")}};
}

void collect(const QMenu& menu, std::vector<Key>& keys) {
    for (const QAction* action : menu.actions()) {
        if (action->menu()) collect(*action->menu(), keys);
        if (!action->shortcut().isEmpty())
            keys.push_back({action->shortcut().toString(QKeySequence::NativeText),
                            QString(action->text()).remove('&')});
    }
}

}  // namespace

KeySheet::KeySheet(const QMenuBar& menus, QWidget* parent) : QDialog(parent) {
    setWindowTitle(tr("All keys"));
    std::vector<Key> keys;
    for (const QAction* action : menus.actions())
        if (action->menu()) collect(*action->menu(), keys);
    for (Key& key : viewKeys()) keys.push_back({key.keys, tr("%1 (in the view)").arg(key.does)});
    auto* grid = new QGridLayout(this);
    grid->setHorizontalSpacing(18);
    grid->setVerticalSpacing(5);
    for (int i = 0; i < static_cast<int>(keys.size()); ++i) {
        auto* combination = new QLabel(elementOf(keys, i).keys);
        combination->setFont(figureFont(12, true));
        grid->addWidget(combination, i % kRows, 2 * (i / kRows));
        grid->addWidget(new QLabel(elementOf(keys, i).does), i % kRows, 2 * (i / kRows) + 1);
    }
}

}  // namespace flentro::app
