// An editor for settings that are tables: rows of a list, or values by name of asset or image.

#pragma once

#include "widgets/elements.h"

namespace flentro::app {

class FieldTableEditor : public QWidget {
    Q_OBJECT

public:
    FieldTableEditor(Document& document, const Field& field, QWidget* parent = nullptr);
    void fill(const Json& value);

signals:
    void edited(const Json& value);

private:
    [[nodiscard]] Json rowBeforeLast() const;
    void addRow();
    void removeRow();
    void takeCell(int row, int column);
    /// The columns behind the first one of assets' names, if there is one.
    [[nodiscard]] const std::vector<Field>& columns() const { return field_.columns; }
    [[nodiscard]] bool isByAsset() const { return field_.type == Field::Type::ByAsset; }
    [[nodiscard]] Json rowOf(const Json& entry) const;
    /// Every asset or image of the source that has no row yet; the selected object's first.
    [[nodiscard]] QStringList freeNames() const;

    Document& document_;
    Field field_;
    Json value_;
    QTableWidget* table_;
    QLabel* hint_;  ///< Shown while there is no row.
    bool filling_ = false;
};

}  // namespace flentro::app
