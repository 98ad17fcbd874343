// The merge's instrument: how large parcels are, what each saves and costs, which assets are
// merged at all.

#pragma once

#include <QComboBox>
#include <QStackedWidget>
#include <QTabBar>

#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"
#include "instruments/merge_plot.h"

namespace flentro::app {

class MergeInstrument : public FixInstrument<MergeSettings> {
    Q_OBJECT

public:
    explicit MergeInstrument(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] MergePlot& plot() { return *plot_; }

    enum Page { Size, Parcels, Assets };
    void turnTo(Page page) { tabs_->setCurrentIndex(page); }

signals:
    void viewRequested(const Viewpoint& view);  ///< Of a parcel.

protected:
    void refresh() override;

private:
    QWidget* makeSize();
    QWidget* makeParcels();
    QWidget* makeAssets();
    void refreshParcels(const MergeReport& report);
    void refreshAssets(const MergeReport& report);
    void refreshChoice();
    void leaveParcel();
    void leaveSelected();
    void showParcel();
    [[nodiscard]] const MergeReport* report() const;
    [[nodiscard]] QString chosenAsset() const;

    QTabBar* tabs_;
    QStackedWidget* pages_;
    MergePlot* plot_;
    QLabel* reading_;
    FixForm* form_;
    QTableWidget* parcels_;
    QPushButton* takeBack_ = nullptr;
    QPushButton* leaveSelected_ = nullptr;
    QTableWidget* assets_;
    QComboBox* choice_ = nullptr;
    QLabel* why_ = nullptr;  ///< The verdict on the chosen asset.
};

}  // namespace flentro::app
