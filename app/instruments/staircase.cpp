#include "instruments/staircase.h"

#include <QPainter>
#include <algorithm>

#include "base/text.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr std::size_t kRoomy = 7;  ///< More steps have smaller letters.
constexpr double kNameRow = 12;    ///< Pixels.
constexpr double kFigureHeight = 16;
constexpr double kFigureRow = 11;  ///< Pixels by which figures stand above each other.

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
        area = QRectF(QPointF(0, 0), size)
                   .adjusted(2, crowded ? 18 + kFigureRow : 18, -2, -20 - secondRow);
        for (const Tread& step : steps)
            if (std::isfinite(step.load)) highest = std::max(highest, step.load);
        placeFigures(steps);
    }
    [[nodiscard]] double y(double load) const {
        return area.bottom() - area.height() * std::min(load / highest, 1.0);
    }

    /// Never across the limit's line, nor over the one before. Of many steps those whose load is
    /// told as the one before's go without a figure.
    void placeFigures(const std::vector<Tread>& steps) {
        const QFontMetricsF metrics(figures);
        std::string told;
        QRectF last;
        for (std::size_t i = 0; i < steps.size(); ++i) {
            const std::string text = formatLoad(steps[i].load);
            const bool isTold = crowded && text == told;
            told = text;
            figureAt.emplace_back();
            if (isTold) continue;
            const double top = y(steps[i].load);
            const double line = y(1);
            const double width = metrics.horizontalAdvance(QString::fromStdString(text)) + 4;
            const double middle = area.left() + room * (static_cast<double>(i) + 0.5) - 1.5;
            QRectF place(middle - width / 2,
                         top - 17 < line && line < top - 1 ? line - 17 : top - 17, width,
                         kFigureHeight);
            if (last.adjusted(0, 0, 0, kFigureRow - kFigureHeight).intersects(place))
                place.moveTop(std::max(0.0, last.top() - kFigureRow));
            figureAt.back() = last = place;
        }
    }

    bool crowded;
    QFont names;
    QFont figures = figureFont(crowded ? 10 : 12, true);
    double room;           ///< Of a column.
    double secondRow = 0;  ///< Its height.
    QRectF area;
    double highest = 1.15;
    std::vector<QRectF> figureAt;  ///< [steps] Null: none.
};

void Staircase::drawTread(QPainter& painter, const Layout& layout, std::size_t i,
                          const Tread& step) const {
    const double left = layout.area.left() + layout.room * static_cast<double>(i);
    const double top = layout.y(step.load);
    painter.fillRect(QRectF(left, top, layout.room - 3, layout.area.bottom() - top),
                     stateColor(stateOf(step.load)));
    painter.setPen(theme().ink);
    painter.setFont(layout.figures);
    if (const QRectF& place = layout.figureAt[i]; !place.isNull())
        painter.drawText(place, Qt::AlignHCenter | Qt::TextDontClip,
                         QString::fromStdString(formatLoad(step.load)));
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
    for (std::size_t i = 0; i < steps.size(); ++i) drawTread(painter, layout, i, steps[i]);
    const QRectF& area = layout.area;
    const double line = layout.y(1);
    painter.setPen(QPen(theme().ink, 1.2));
    painter.drawLine(QPointF(area.left(), line), QPointF(area.right(), line));
    painter.setFont(textFont(10));
    painter.drawText(QRectF(area.right() - 60, area.top() - 18, 60, 14), Qt::AlignRight,
                     tr("line: x1"));
}

}  // namespace flentro::app
