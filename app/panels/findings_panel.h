// What is to blame: assets and objects ranked by cost, here or in the whole scene.

#pragma once

#include <QComboBox>
#include <QLineEdit>

#include <QTabBar>

#include "findings/ranking.h"
#include "panels/causes_page.h"
#include "panels/fill_bar.h"
#include "panels/inventory_page.h"
#include "widgets/elements.h"

namespace flentro::app {

class FindingsPanel : public QWidget {
    Q_OBJECT

public:
    explicit FindingsPanel(Document& document, QWidget* parent = nullptr);
    void focusSearch();
    /// Causes, what fills the view, or all there is; heaviest first.
    enum Page { Causes, Fills, All };
    void turnTo(Page page) { tabs_->setCurrentIndex(page); }
    [[nodiscard]] CausesPage& causes() { return *causes_; }
    [[nodiscard]] InventoryPage& inventory() { return *inventory_; }
    [[nodiscard]] FillBar& bar() { return *bar_; }

signals:
    void showRequested();  ///< Look at the selection.
    void viewRequested(const Viewpoint& view);
    void fixRequested(const FixSettings& fix, const QString& asset);
    void counted(int findings, const QString& explained);
    void tried(const std::shared_ptr<const Diagnosis>& diagnosis);

protected:
    void showEvent(QShowEvent* event) override;

private:
    void rankSoon();
    void show(const std::vector<CostShare>& ranking);
    void fillTable(const std::string& keep);
    void fillRow(int row, const CostShare& blame);
    [[nodiscard]] Measure measure() const;
    [[nodiscard]] CostKind kind() const;
    [[nodiscard]] const CostShare* current() const;
    [[nodiscard]] std::string assetOf(const CostShare& blame) const;
    [[nodiscard]] const char* fixForCurrent() const;
    enum Where { ThisView, WorstView, WholeScene };
    [[nodiscard]] std::optional<Viewpoint> rankedView() const;
    void offerWorstView();
    [[nodiscard]] QString drawnAndSeen() const;
    void fillBar();
    void selectCurrent();
    void describeCurrent();
    void showCurrent();
    void switchCurrentOff();

    QWidget* makeFills();
    QLayout* makeChoices();
    QLayout* makeButtons();

    Document& document_;
    QTabBar* tabs_;
    CausesPage* causes_;
    InventoryPage* inventory_;
    QComboBox* where_;
    QComboBox* what_;
    QComboBox* by_;
    FillBar* bar_;
    QLineEdit* search_;
    QTableWidget* table_;
    QLabel* evidence_;
    QPushButton* show_;
    QPushButton* fix_;
    QPushButton* aside_;
    QPushButton* off_;
    std::vector<CostShare> ranking_;
    std::vector<std::size_t> rows_;  ///< Index in ranking_ of each row.
    LatestRunner runner_;
    QTimer settle_;
};

}  // namespace flentro::app
