// Which machine the scene must run on: pick, edit, compare.

#pragma once

#include <QComboBox>
#include <QLineEdit>

#include "widgets/elements.h"

namespace flentro::app {

class TargetPanel : public QWidget {
    Q_OBJECT

public:
    explicit TargetPanel(Document& document, QWidget* parent = nullptr);

private:
    void addPicker(QVBoxLayout* layout);
    void addDisplay(QVBoxLayout* layout);
    void addBatching(QVBoxLayout* layout);
    void addLimits(QVBoxLayout* layout);
    void addComparison(QVBoxLayout* layout);
    void refresh();
    void compareSoon();
    void showComparison(const std::vector<Counts>& loads);
    void saveTarget();
    void edit(const QString& change, const std::function<void(Target&)>& apply);

    Document& document_;
    QComboBox* picker_ = nullptr;
    QLabel* description_ = nullptr;
    QComboBox* batching_ = nullptr;
    std::vector<std::pair<QDoubleSpinBox*, std::function<double(const Target&)>>> fields_;
    QTableWidget* comparison_ = nullptr;
    LatestRunner comparer_;
    bool refreshing_ = false;
};

}  // namespace flentro::app
