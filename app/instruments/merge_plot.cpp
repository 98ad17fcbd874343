#include "instruments/merge_plot.h"

#include <algorithm>
#include <cmath>

#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr double kGrip = 10;      ///< Pixels.
constexpr double kSmallest = 3;   ///< Metres at the left end.
constexpr double kLargest = 160;  ///< Metres at the right end.
constexpr double kRoom = 0.15;    ///< Of the span, above and below the curves.

}  // namespace

MergePlot::MergePlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Calls and triangles by size of parcels"));
    useLogScale(xAxis);
    yAxis2->setVisible(true);
    calls_ = addGraph();
    triangles_ = addGraph(xAxis, yAxis2);
    setAxes(tr("edge of a parcel, m"), tr("calls a view"));
    yAxis2->setLabel(tr("1000 triangles"));
    MergePlot::restyle();
}

void MergePlot::restyle() {
    Plot::restyle();
    if (!triangles_) return;
    calls_->setPen(QPen(theme().within, 2));
    triangles_->setPen(QPen(theme().over, 2));
    calls_->setScatterStyle(QCPScatterStyle(QCPScatterStyle::ssDisc, theme().within, 5));
    triangles_->setScatterStyle(
        QCPScatterStyle(QCPScatterStyle::ssDiamond, theme().over, theme().over, 6));
    redraw();
}

void MergePlot::show(const MergeReport& report) {
    report_ = report;
    size_ = report.size;
    redraw();
}

void MergePlot::moveSize(double size) {
    size_ = std::round(std::clamp(size, 1.0, 1000.0));
    redraw();
}

QPointF MergePlot::sizePixel() const {
    return {xAxis->coordToPixel(std::max(size_, kSmallest)),
            static_cast<double>(axisRect()->center().y())};
}

int MergePlot::handleAt(const QPointF& pixel) const {
    return size_ > 0 && std::fabs(sizePixel().x() - pixel.x()) <= kGrip ? 0 : -1;
}

/// A dashed line for what it is without merging.
void MergePlot::addLevel(QCPAxis* axis, double value, const QColor& color) {
    auto* line = new QCPItemStraightLine(this);
    line->point1->setAxes(xAxis, axis);
    line->point2->setAxes(xAxis, axis);
    line->point1->setCoords(1, value);
    line->point2->setCoords(100, value);
    line->setPen(QPen(color, 1, Qt::DashLine));
}

void MergePlot::redraw() {
    clearItems();
    QVector<double> sizes, calls, triangles;
    for (const ParcelSize& size : report_.sizes) {
        sizes.push_back(size.size);
        calls.push_back(size.calls);
        triangles.push_back(size.triangles / 1000);
    }
    calls_->setData(sizes, calls);
    triangles_->setData(sizes, triangles);
    const auto frame = [](QCPAxis* axis, const QVector<double>& values, double before) {
        const auto [low, high] = std::minmax_element(values.begin(), values.end());
        const double least = std::min(values.empty() ? 0 : *low, before);
        const double most = std::max(values.empty() ? 1 : *high, before);
        const double room = kRoom * std::max(most - least, 1e-3 + 0.01 * most);
        axis->setRange(least - room, most + room);
    };
    frame(yAxis, calls, report_.before.calls);
    frame(yAxis2, triangles, report_.before.triangles / 1000);
    xAxis->setRange(kSmallest, kLargest);
    addLevel(yAxis, report_.before.calls, theme().within);
    addLevel(yAxis2, report_.before.triangles / 1000, theme().over);
    if (size_ > 0) {
        auto* line = new QCPItemStraightLine(this);
        line->point1->setCoords(size_, 0);
        line->point2->setCoords(size_, 1);
        line->setPen(QPen(theme().ink, 2));
        auto* label = new QCPItemText(this);
        label->position->setTypeX(QCPItemPosition::ptPlotCoords);
        label->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        label->position->setCoords(size_ * 1.05, 0.03);
        label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
        label->setText(tr("%1 m").arg(size_));
        label->setFont(figureFont(11));
        label->setColor(theme().ink);
    }
    replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace flentro::app
