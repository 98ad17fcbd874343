#include "widgets/elements.h"

#include <QHeaderView>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {

void addHeading(QVBoxLayout* layout, const QString& name, const QString& purpose) {
    auto* heading = new QLabel(name);
    heading->setFont(textFont(17, true));
    layout->addWidget(heading);
    QLabel* sentence = makeFaint(purpose);
    sentence->setWordWrap(true);
    layout->addWidget(sentence);
}

void addRule(QVBoxLayout* layout) {
    auto* rule = new QFrame;
    rule->setProperty("rule", true);
    layout->addWidget(rule);
}

QLabel* makeFaint(const QString& text) {
    auto* label = new QLabel(text);
    label->setProperty("faint", true);
    return label;
}

QPushButton* makePrimary(const QString& text) {
    auto* button = new QPushButton(text);
    button->setProperty("primary", true);
    return button;
}

QDoubleSpinBox* makeNumber(const NumberField& field, QWidget* parent,
                           const std::function<void(double)>& commit) {
    auto* box = new QDoubleSpinBox(parent);
    box->setRange(field.low, field.high);
    box->setDecimals(field.decimals);
    box->setSingleStep(std::pow(10, -field.decimals) * (field.decimals > 1 ? 5 : 1));
    box->setSuffix(field.unit.isEmpty() ? "" : " " + field.unit);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    box->setKeyboardTracking(false);
    box->setAccessibleName(field.label);
    box->setToolTip(field.tip);
    box->setFont(figureFont(12));
    box->setAlignment(Qt::AlignRight);
    QObject::connect(box, &QDoubleSpinBox::valueChanged, parent, commit);
    return box;
}

QTableWidget* makeTable(const QStringList& header) {
    auto* table = new QTableWidget(0, static_cast<int>(header.size()));
    table->setHorizontalHeaderLabels(header);
    table->setSelectionBehavior(QAbstractItemView::SelectRows);
    table->setSelectionMode(QAbstractItemView::SingleSelection);
    table->setEditTriggers(QAbstractItemView::NoEditTriggers);
    table->setShowGrid(false);
    table->setFrameShape(QFrame::NoFrame);
    table->verticalHeader()->hide();
    table->verticalHeader()->setDefaultSectionSize(26);
    for (int i = 0; i < header.size(); ++i) table->horizontalHeaderItem(i)->setFont(textFont(11));
    table->horizontalHeader()->setHighlightSections(false);
    table->horizontalHeader()->setDefaultAlignment(Qt::AlignRight | Qt::AlignVCenter);
    table->horizontalHeaderItem(0)->setTextAlignment(Qt::AlignLeft | Qt::AlignVCenter);
    table->horizontalHeader()->setResizeContentsPrecision(0);  // what is visible decides
    table->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    table->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    table->setItemDelegate(new CellDelegate(table));
    table->setTabKeyNavigation(false);
    return table;
}

namespace {

QTableWidgetItem* cellOf(QTableWidget* table, int row, int column) {
    QTableWidgetItem* item = table->item(row, column);
    if (!item) table->setItem(row, column, item = new QTableWidgetItem);
    return item;
}

}  // namespace

void setCell(QTableWidget* table, int row, int column, const QString& text, bool figures) {
    QTableWidgetItem* item = cellOf(table, row, column);
    item->setText(text);
    item->setFont(figures ? figureFont(11) : textFont(12));
    item->setTextAlignment((figures ? Qt::AlignRight : Qt::AlignLeft) | Qt::AlignVCenter);
    if (!figures) item->setToolTip(text);
    item->setData(CellDelegate::kLoadRole, {});
}

void setLoadCell(QTableWidget* table, int row, int column, double load) {
    setCell(table, row, column, load > 0 ? toText(formatLoad(load)) + "   " : "-   ");
    cellOf(table, row, column)->setData(CellDelegate::kLoadRole, load);
}

void setBalanceCell(QTableWidget* table, int row, int column, double saved, double paid) {
    setCell(table, row, column, {});
    cellOf(table, row, column)->setData(CellDelegate::kBalanceRole, QPointF(saved, paid));
}

namespace {

/// Blue to the left of a line for what is saved, plum to the right for what is paid.
void paintBalance(QPainter& painter, const QRectF& rect, const QPointF& balance) {
    const double middle = rect.center().x();
    const double half = rect.width() / 2 - 3;
    const auto bar = [&](double from, double length, const QColor& color) {
        painter.fillRect(QRectF(from, rect.top() + 6, length, rect.height() - 12), color);
    };
    const double saved = half * std::clamp(balance.x(), 0.0, 1.0);
    bar(middle - saved, saved, theme().within);
    bar(middle, half * std::clamp(balance.y(), 0.0, 1.0), theme().over);
    painter.setPen(QPen(theme().ink, 1));
    painter.drawLine(QPointF(middle, rect.top() + 3), QPointF(middle, rect.bottom() - 3));
}

}  // namespace

void CellDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                         const QModelIndex& index) const {
    const QVariant share = index.data(kShareRole);
    if (share.isValid()) {
        QColor bar = theme().within;
        bar.setAlpha(70);
        QRectF rect = option.rect.adjusted(0, 3, 0, -3);
        rect.setWidth(rect.width() * std::clamp(share.toDouble(), 0.0, 1.0));
        painter->fillRect(rect, bar);
    }
    QStyledItemDelegate::paint(painter, option, index);
    const QVariant balance = index.data(kBalanceRole);
    if (balance.isValid()) paintBalance(*painter, option.rect, balance.toPointF());
    const QVariant load = index.data(kLoadRole);
    if (!load.isValid() || load.toDouble() <= 0) return;
    paintStateMark(*painter, QPointF(option.rect.right() - 9, option.rect.center().y() + 0.5), 4,
                   stateOf(load.toDouble()));
}

}  // namespace flentro::app
