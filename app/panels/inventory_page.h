// Inventory: assets, textures, materials, lights and skins as tables, and marks for many at once.

#pragma once

#include <QComboBox>
#include <QLineEdit>

#include "measure/inventory.h"
#include "widgets/elements.h"

namespace flentro::app {

class InventoryPage : public QWidget {
    Q_OBJECT

public:
    explicit InventoryPage(Document& document, QWidget* parent = nullptr);
    void focusSearch() { search_->setFocus(); }

    enum Kind { Assets, Textures, Materials, Lights, Skins };

    /// A cell: what it shows and what it is sorted by.
    struct Cell {
        QString text;
        double key = 0;
        bool isFigure = true;
    };
    /// A line of the table: what it stands for, in the scene's list of its kind.
    struct Row {
        std::size_t index = 0;
        QString name;
        std::vector<Cell> cells;
    };

    void turnTo(Kind kind);
    /// True while what the table shows is being listed anew.
    [[nodiscard]] bool isListing() const { return !runner_.isIdle(); }

signals:
    void showRequested();  ///< Look at the selection.
    void viewRequested(const Viewpoint& view);

protected:
    void showEvent(QShowEvent* event) override;

private:
    void buildLayout(QVBoxLayout* layout);
    void connectAll();
    void listSoon();
    void adopt(ScenePtr scene, std::vector<Row> rows);
    void fillTable();
    void describe();
    void selectFirst();
    void showFirst();
    void switchChosenOff();
    void mark(Importance importance);
    void setShadows(bool cast);
    [[nodiscard]] Kind kind() const { return static_cast<Kind>(kind_->currentIndex()); }
    [[nodiscard]] std::vector<const Row*> chosen() const;
    [[nodiscard]] static std::vector<Row> rowsOf(Kind kind, const Scene& scene,
                                                 const Target& target, const WorkOrder& order,
                                                 const std::vector<std::size_t>& spots);

    Document& document_;
    QComboBox* kind_;
    QLineEdit* search_;
    QTableWidget* table_;
    QLabel* evidence_;
    QPushButton* show_;
    QPushButton* off_;
    QComboBox* importance_;
    QPushButton* cast_;
    QPushButton* castNone_;
    ScenePtr scene_;  ///< That the rows are of.
    std::vector<Row> rows_;
    std::vector<std::size_t> order_;  ///< Index in rows_ of each line of the table.
    int sortedBy_ = -1;               ///< Column; -1: heaviest first, as listed.
    Qt::SortOrder sorting_ = Qt::DescendingOrder;
    LatestRunner runner_;
};

}  // namespace flentro::app
