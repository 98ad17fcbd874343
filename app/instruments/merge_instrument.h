// The merge's instrument: how large parcels are, what each saves and costs, which assets are
// merged at all.

#pragma once

#include <QCheckBox>
#include <QComboBox>
#include <QStackedWidget>
#include <QTabBar>

#include "instruments/merge_plot.h"
#include "sheets/sheet.h"

namespace flentro::app {

class MergeInstrument : public QWidget {
    Q_OBJECT

public:
    explicit MergeInstrument(Document& document, QWidget* parent = nullptr);
    void setFix(int id);
    [[nodiscard]] MergePlot& plot() { return *plot_; }

    enum Page { Size, Parcels, Assets };
    void turnTo(Page page) { tabs_->setCurrentIndex(page); }

signals:
    void viewRequested(const Viewpoint& view);  ///< Of a parcel.
    void tintRequested();

private:
    QWidget* makeSize();
    QWidget* makeParcels();
    QWidget* makeAssets();
    void refresh();
    void refreshParcels(const MergeReport& report);
    void refreshAssets(const MergeReport& report);
    void refreshChoice();
    void change(const QString& text, const std::function<void(MergeSettings&)>& apply);
    void leaveParcel();
    void leaveSelected();
    void showParcel();
    [[nodiscard]] const MergeReport* report() const;
    [[nodiscard]] QString chosenAsset() const;

    Document& document_;
    int fix_ = 0;
    QTabBar* tabs_;
    QStackedWidget* pages_;
    MergePlot* plot_;
    QLabel* reading_;
    QComboBox* grouping_ = nullptr;
    QDoubleSpinBox* parcel_ = nullptr;
    QDoubleSpinBox* vertices_ = nullptr;
    QDoubleSpinBox* growth_ = nullptr;
    QCheckBox* sameLights_ = nullptr;
    QTableWidget* parcels_;
    QPushButton* takeBack_ = nullptr;
    QPushButton* leaveSelected_ = nullptr;
    QTableWidget* assets_;
    QComboBox* choice_ = nullptr;
    QLabel* why_ = nullptr;  ///< The verdict on the chosen asset.
    bool refreshing_ = false;
};

}  // namespace flentro::app
