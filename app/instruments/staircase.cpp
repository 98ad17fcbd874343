#include "instruments/staircase.h"

#include <QPainter>
#include <algorithm>
#include <utility>

#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr std::size_t kRoomy = 7;  ///< More steps have smaller letters.
constexpr double kNameRow = 12;    ///< Pixels.

}  // namespace

Staircase::Staircase(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setMinimumHeight(104);
    setMaximumHeight(124);
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

/// Where everything of a staircase lies.
struct Staircase::Layout {
    Layout(const QSize& size, const std::vector<Tread>& steps)
        : crowded(steps.size() > kRoomy),
          names(textFont(crowded ? 9 : 11)),
          room((size.width() - 4.0) / static_cast<double>(std::max<std::size_t>(steps.size(), 3))) {
        // Names that are wider than their column stand in two rows by turns.
        if (std::any_of(steps.begin(), steps.end(), [&](const Tread& step) {
                return QFontMetricsF(names).horizontalAdvance(step.name) > room;
            }))
            secondRow = kNameRow;
        area = QRectF(QPointF(0, 0), size).adjusted(2, 18, -2, -20 - secondRow);
        for (const Tread& step : steps)
            if (std::isfinite(step.load)) highest = std::max(highest, step.load);
    }
    [[nodiscard]] double y(double load) const {
        return area.bottom() - area.height() * std::min(load / highest, 1.0);
    }

    bool crowded;
    QFont names;
    double room;           ///< Of a column.
    double secondRow = 0;  ///< Its height.
    QRectF area;
    double highest = 1.15;
};

void Staircase::drawTread(QPainter& painter, const Layout& layout, std::size_t i, const Tread& step,
                          bool withFigure) const {
    const double left = layout.area.left() + layout.room * static_cast<double>(i);
    const double top = layout.y(step.load);
    painter.fillRect(QRectF(left, top, layout.room - 3, layout.area.bottom() - top),
                     stateColor(stateOf(step.load)));
    if (withFigure) {
        painter.setPen(theme().ink);
        painter.setFont(figureFont(layout.crowded ? 10 : 12, true));
        // Never across the limit's line.
        const double line = layout.y(1);
        const double at = top - 17 < line && line < top - 1 ? line - 17 : top - 17;
        painter.drawText(QRectF(left - layout.room / 2, at, 2 * layout.room - 3, 16),
                         Qt::AlignHCenter, QString::fromStdString(formatLoad(step.load)));
    }
    painter.setFont(layout.names);
    painter.setPen(theme().faint);
    const double side = layout.secondRow > 0 ? layout.room / 2 : 2;
    const double row = i % 2 == 1 ? layout.secondRow : 0;
    painter.drawText(
        QRectF(left - side, layout.area.bottom() + 3 + row, layout.room - 3 + 2 * side, 16),
        Qt::AlignHCenter, step.name);
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
    const Layout layout(size(), steps);
    // Of many steps those whose load is told as the one before's go without a figure.
    std::string told;
    for (std::size_t i = 0; i < steps.size(); ++i) {
        const bool isNew =
            std::exchange(told, formatLoad(steps[i].load)) != formatLoad(steps[i].load);
        drawTread(painter, layout, i, steps[i], isNew || !layout.crowded);
    }
    const QRectF& area = layout.area;
    const double line = layout.y(1);
    painter.setPen(QPen(theme().ink, 1.2));
    painter.drawLine(QPointF(area.left(), line), QPointF(area.right(), line));
    painter.setFont(textFont(10));
    painter.drawText(QRectF(area.right() - 60, area.top() - 18, 60, 14), Qt::AlignRight,
                     tr("line: x1"));
}

}  // namespace flentro::app
