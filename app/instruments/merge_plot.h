// Draw calls against triangles over the size of parcels.

#pragma once

#include "fixes/merge/merge.h"
#include "instruments/plot.h"

namespace flentro::app {

class MergePlot : public Plot {
    Q_OBJECT

public:
    explicit MergePlot(QWidget* parent = nullptr);
    void restyle() override;
    void show(const MergeReport& report);
    /// Moves the line of the chosen size, metres.
    void moveSize(double size);
    [[nodiscard]] double size() const { return size_; }
    [[nodiscard]] QPointF sizePixel() const;

protected:
    [[nodiscard]] int handleAt(const QPointF& pixel) const override;

private:
    void redraw();
    void addLevel(QCPAxis* axis, double value, const QColor& color);

    MergeReport report_;
    double size_ = 0;
    QCPGraph* calls_ = nullptr;
    QCPGraph* triangles_ = nullptr;
};

}  // namespace flentro::app
