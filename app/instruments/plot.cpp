#include "instruments/plot.h"

#include "widgets/theme.h"

namespace flentro::app {

Plot::Plot(QWidget* parent) : QCustomPlot(parent) {
    setMinimumHeight(150);
    setMouseTracking(true);
    axisRect()->setMinimumMargins(QMargins(4, 8, 22, 4));  // half of a last label on the right
    Plot::restyle();
    connect(&themeWatch(), &ThemeWatch::changed, this, [this] { restyle(); });
}

void Plot::useLogScale(QCPAxis* axis) {
    axis->setScaleType(QCPAxis::stLogarithmic);
    axis->setTicker(QSharedPointer<QCPAxisTickerLog>::create());
    axis->setNumberFormat("f");
    axis->setNumberPrecision(0);
}

void Plot::styleAxis(QCPAxis* axis) {
    const QPen ink(theme().faint, 1);
    axis->setBasePen(ink);
    axis->setTickPen(ink);
    axis->setSubTickPen(QPen(theme().hairline, 1));
    axis->setTickLabelColor(theme().faint);
    axis->setTickLabelFont(figureFont(10));
    axis->setLabelColor(theme().faint);
    axis->setLabelFont(textFont(11));
    axis->setLabelPadding(2);
    axis->grid()->setPen(QPen(theme().hairline, 1));
    axis->grid()->setZeroLinePen(Qt::NoPen);
}

void Plot::restyle() {
    setBackground(theme().raised);
    for (QCPAxis* axis : {xAxis, yAxis, yAxis2}) styleAxis(axis);
}

void Plot::setAxes(const QString& x, const QString& y) {
    xAxis->setLabel(x);
    yAxis->setLabel(y);
}

void Plot::mousePressEvent(QMouseEvent* event) {
    dragged_ = handleAt(event->position());
}

void Plot::mouseMoveEvent(QMouseEvent* event) {
    if (dragged_ >= 0) {
        emit handleMoved(dragged_, xAxis->pixelToCoord(event->position().x()),
                         yAxis->pixelToCoord(event->position().y()));
        return;
    }
    setCursor(handleAt(event->position()) >= 0 ? Qt::SizeAllCursor : Qt::ArrowCursor);
}

void Plot::mouseReleaseEvent(QMouseEvent*) {
    if (dragged_ >= 0) emit handleReleased(std::exchange(dragged_, -1));
}

}  // namespace flentro::app
