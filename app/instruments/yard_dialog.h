// The stress yard: many copies of one asset in each of its variants, really drawn and measured.

#pragma once

#include <QCheckBox>
#include <QDialog>
#include <QSpinBox>

#include "view/yard_bench.h"
#include "widgets/elements.h"

namespace flentro::app {

class YardDialog : public QDialog {
    Q_OBJECT

public:
    explicit YardDialog(Document& document, QWidget* parent = nullptr);

    /// `original`: the mesh before its ladder was made; may be null.
    void setAsset(const ScenePtr& scene, std::size_t asset, const MeshPtr& original);
    void measure();
    [[nodiscard]] const YardReport& report() const { return report_; }

private:
    void adopt(const YardReport& report);
    void showPicture();

    Document& document_;
    ScenePtr scene_;
    std::size_t index_ = 0;
    MeshPtr original_;
    std::shared_ptr<YardBench> bench_;
    YardReport report_;
    QLabel* title_;
    QSpinBox* copies_;
    QCheckBox* single_;
    QPushButton* measure_;
    QTableWidget* table_;
    QLabel* picture_;
    QLabel* reading_;
};

}  // namespace flentro::app
