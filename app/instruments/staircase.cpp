#include "instruments/staircase.h"

#include <QPainter>
#include <algorithm>

#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr std::size_t kRoomy = 7;  ///< More steps have smaller letters.

}  // namespace

Staircase::Staircase(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setMinimumHeight(104);
    setMaximumHeight(118);
    setAccessibleName(tr("Staircase of load"));
    setToolTip(tr("Load of one measure in this view: the original, then after each fix."));
    connect(&document.counter(), &ViewCounter::changed, this, [this] { update(); });
    connect(&document.projectModel(), &ProjectModel::changed, this, [this] { update(); });
}

void Staircase::setMeasure(Measure measure) {
    measure_ = measure;
    update();
}

std::vector<Staircase::Tread> Staircase::treads() const {
    const double limit = at(document_.target().limits, measure_);
    if (!isLimit(limit) || !document_.hasScene()) return {};
    std::vector<Tread> result = {
        {tr("Original"), loadOf(at(document_.here().before.counts, measure_), limit)}};
    const auto& steps = document_.evaluator().evaluation().steps;
    const auto& counts = document_.here().steps;
    for (std::size_t i = 0; i < std::min(steps.size(), counts.size()); ++i) {
        const Fix* fix = document_.project().order.find(steps[i].fix);
        result.push_back({fix ? QString::fromStdString(fix->settings.kind().shortName) : QString(),
                          loadOf(at(counts[i], measure_), limit)});
    }
    return result;
}

void Staircase::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const std::vector<Tread> steps = treads();
    if (steps.empty()) {
        painter.setPen(theme().faint);
        painter.drawText(rect(), Qt::AlignCenter, tr("No limit for this measure."));
        return;
    }
    double highest = 1.15;
    for (const Tread& step : steps)
        if (std::isfinite(step.load)) highest = std::max(highest, step.load);
    const QRectF area = QRectF(rect()).adjusted(2, 18, -2, -20);
    const auto y = [&](double load) {
        return area.bottom() - area.height() * std::min(load / highest, 1.0);
    };
    const double wide = area.width() / static_cast<double>(std::max<std::size_t>(steps.size(), 3));
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const double left = area.left() + wide * static_cast<double>(i);
        const State state = stateOf(steps[i].load);
        QColor fill = stateColor(state);
        painter.fillRect(QRectF(left, y(steps[i].load), wide - 3, area.bottom() - y(steps[i].load)),
                         fill);
        painter.setPen(theme().ink);
        painter.setFont(figureFont(steps.size() > kRoomy ? 10 : 12, true));
        // Never across the limit's line.
        double top = y(steps[i].load) - 17;
        if (top < y(1) && y(1) < top + 16) top = y(1) - 17;
        painter.drawText(QRectF(left, top, wide - 3, 16), Qt::AlignHCenter,
                         QString::fromStdString(formatLoad(steps[i].load)));
        painter.setFont(textFont(steps.size() > kRoomy ? 9 : 11));
        painter.setPen(theme().faint);
        painter.drawText(QRectF(left - 2, area.bottom() + 3, wide + 1, 16), Qt::AlignHCenter,
                         steps[i].name);
    }
    painter.setPen(QPen(theme().ink, 1.2));
    painter.drawLine(QPointF(area.left(), y(1)), QPointF(area.right(), y(1)));
    painter.setFont(textFont(10));
    painter.drawText(QRectF(area.right() - 60, area.top() - 18, 60, 14), Qt::AlignRight,
                     tr("line: x1"));
}

}  // namespace flentro::app
