// One bar per measure on one common limit line.

#pragma once

#include <QWidget>

#include "measure/frame_cost.h"
#include "model/document.h"

namespace flentro::app {

class LoadBoard : public QWidget {
    Q_OBJECT

public:
    explicit LoadBoard(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override;

signals:
    void chosen(const Viewpoint& view);  ///< The worst view of a measure.

protected:
    void mousePressEvent(QMouseEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    bool event(QEvent* event) override;

private:
    struct Surveyed {
        double worst = 0;  ///< Load.
        double median = 0;
        Viewpoint view;  ///< Where it is worst.
    };
    /// One row: a load on the common limit line.
    struct Bar {
        QString name, value;
        double load = 0;
        bool isLimited = true;
        std::optional<double> original, without;  ///< Loads, for ticks.
        std::optional<double> worst, median;      ///< Of the survey, for pointers.
    };
    void summarise();
    [[nodiscard]] Bar barOf(Measure measure) const;
    [[nodiscard]] FrameCost frameHere() const;
    [[nodiscard]] Bar frameBar() const;
    void paintBar(QPainter& painter, const QRect& rect, const Bar& bar);
    std::array<Surveyed, kMeasureCount> surveyed_{};
    bool hasSurvey_ = false;
    std::optional<double> slowest_;  ///< Load of the slowest surveyed view, an estimate.
    [[nodiscard]] QRect rowRect(int row) const;
    [[nodiscard]] double xOf(double load) const;
    [[nodiscard]] QString describe(int row) const;
    [[nodiscard]] QString describeFrame() const;
    [[nodiscard]] double valueOf(Measure measure) const;
    [[nodiscard]] QString heading() const;

    Document& document_;
};

}  // namespace flentro::app
