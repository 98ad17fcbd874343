// What a finding rests on, drawn: the loads it takes down, and each number beside what it is held
// against.

#pragma once

#include <QWidget>

#include "findings/finding.h"

namespace flentro::app {

class EvidenceView : public QWidget {
    Q_OBJECT

public:
    explicit EvidenceView(QWidget* parent = nullptr);
    void clear();
    void show(const Finding& finding, const Diagnosis& diagnosis, const Target& target);
    [[nodiscard]] QSize sizeHint() const override;

    /// A measure before and after, as loads.
    struct Load {
        QString name;
        double before = 0, after = 0;
    };
    [[nodiscard]] const std::vector<Load>& loads() const { return loads_; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    std::vector<Load> loads_;
    std::vector<Quantity> quantities_;
};

}  // namespace flentro::app
