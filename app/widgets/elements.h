// What the sheets share: headings, rows of settings, cards, tables.

#pragma once

#include <QDoubleSpinBox>
#include <QFrame>
#include <QLabel>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QTableWidget>
#include <QVBoxLayout>
#include <functional>

#include "base/text.h"
#include "model/document.h"

namespace flentro::app {

[[nodiscard]] inline QString toText(const std::string& s) {
    return QString::fromStdString(s);
}

/// "1 copy", "1 204 copies"; see counted().
template <typename Number>
[[nodiscard]] QString toCounted(Number count, const char* noun, const char* many = nullptr) {
    return toText(counted(static_cast<std::size_t>(count), noun, many));
}

/// The name of a sheet with one sentence on what it is for.
void addHeading(QVBoxLayout* layout, const QString& name, const QString& purpose);
void addRule(QVBoxLayout* layout);

[[nodiscard]] QLabel* makeFaint(const QString& text);
[[nodiscard]] QPushButton* makePrimary(const QString& text);

/// A number with its unit. `commit` is called when the artist has finished editing it.
struct NumberField {
    QString label;
    QString unit;
    double low = 0;
    double high = 1e9;
    int decimals = 0;
    QString tip;
};
[[nodiscard]] QDoubleSpinBox* makeNumber(const NumberField& field, QWidget* parent,
                                         const std::function<void(double)>& commit);

/// A table that looks like the rest: no grid, rows chosen as a whole, sizes to its contents.
[[nodiscard]] QTableWidget* makeTable(const QStringList& header);

/// Text of a cell; `figures` right-aligned in the figure font.
void setCell(QTableWidget* table, int row, int column, const QString& text, bool figures = true);

/// A load with its mark: paints value, state shape and colour.
void setLoadCell(QTableWidget* table, int row, int column, double load);

/// What is saved against what is paid for it, each 0 to 1 of the row's half.
void setBalanceCell(QTableWidget* table, int row, int column, double saved, double paid);

/// Paints load marks, share bars and balances from the cells' data.
class CellDelegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    static constexpr int kLoadRole = Qt::UserRole + 1;
    static constexpr int kShareRole = Qt::UserRole + 2;
    static constexpr int kBalanceRole = Qt::UserRole + 3;
    void paint(QPainter* painter, const QStyleOptionViewItem& option,
               const QModelIndex& index) const override;
};

}  // namespace flentro::app
