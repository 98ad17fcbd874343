#include "widgets/load_board.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "measure/frame_cost.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kRow = 38;
constexpr int kTop = 30;
constexpr int kSide = 14;
constexpr double kLimitAt = 0.62;    ///< Where the limit line stands, as a share of the width.
constexpr double kLargestLoad = 16;  ///< Bars end here; the number goes on.

QString text(const std::string& s) {
    return QString::fromStdString(s);
}

/// A small triangle that points up at the bar: filled for the worst, open for the median.
void paintPointer(QPainter& painter, const QPointF& tip, bool filled) {
    painter.setPen(QPen(theme().ink, 1));
    painter.setBrush(filled ? QBrush(theme().ink) : QBrush(theme().paper));
    painter.drawPolygon(QPolygonF{tip, tip + QPointF(-4, 6), tip + QPointF(4, 6)});
}

}  // namespace

LoadBoard::LoadBoard(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setAccessibleName(tr("Load board"));
    setMinimumHeight(kTop + kRow * static_cast<int>(kMeasureCount + 1) + 4);
    const auto refresh = [this] {
        QString spoken;
        for (int i = 0; i < static_cast<int>(kMeasureCount); ++i) spoken += describe(i) + "\n";
        if (document_.hasScene()) spoken += describeFrame();
        setAccessibleDescription(spoken);
        update();
    };
    connect(&document.counter(), &ViewCounter::changed, this, refresh);
    connect(&document.projectModel(), &ProjectModel::changed, this, refresh);
    connect(&themeWatch(), &ThemeWatch::changed, this, refresh);
    connect(&document.selection(), &Selection::changed, this, refresh);
    connect(&document.survey(), &SurveyModel::changed, this, [this] {
        summarise();
        update();
    });
}

/// Worst and median of each measure over the spots' worst headings.
void LoadBoard::summarise() {
    const app::Surveyed& survey = document_.survey().surveyed();
    hasSurvey_ = survey.exists() && !survey.after.empty();
    slowest_.reset();
    if (hasSurvey_ && survey.survey->doneCount() > 0)
        slowest_ = survey.slowestFrame(document_.target());
    for (std::size_t m = 0; hasSurvey_ && m < kMeasureCount; ++m) {
        const auto extremes = survey.extremes(kMeasures[m], document_.target());
        const double limit = at(document_.target().limits, kMeasures[m]);
        surveyed_[m] = {extremes.load, loadOf(extremes.median, limit),
                        survey.survey->spots[extremes.spot].views[extremes.view]};
    }
}

void LoadBoard::mousePressEvent(QMouseEvent* event) {
    for (int row = 0; hasSurvey_ && row < static_cast<int>(kMeasureCount); ++row)
        if (rowRect(row).contains(event->pos())) emit chosen(elementOf(surveyed_, row).view);
}

QSize LoadBoard::sizeHint() const {
    return {236, minimumHeight()};
}

QRect LoadBoard::rowRect(int row) const {
    return {kSide, kTop + row * kRow, width() - 2 * kSide, kRow};
}

/// Linear up to the limit, logarithmic beyond it, so that x6 still has a length.
double LoadBoard::xOf(double load) const {
    const double wide = width() - 2 * kSide;
    const double beyond =
        load > 1 ? std::log(std::min(load, kLargestLoad)) / std::log(kLargestLoad) : 0;
    return kSide + wide * (std::min(load, 1.0) * kLimitAt + beyond * (1 - kLimitAt));
}

QString LoadBoard::describe(int row) const {
    const Measure measure = elementOf(kMeasures, row);
    const Target& target = document_.target();
    if (document_.counter().freshness() == ViewCounter::Freshness::Nothing)
        return tr("%1: being counted").arg(measureName(measure));
    const double value = valueOf(measure);
    const double limit = at(target.limits, measure);
    const double load = loadOf(value, limit);
    return tr("%1: %2 of %3, load %4, %5")
        .arg(measureName(measure), text(formatMeasure(measure, value)),
             text(formatMeasure(measure, limit)), text(formatLoad(load)), stateWord(stateOf(load)));
}

LoadBoard::Bar LoadBoard::barOf(Measure measure) const {
    const double limit = at(document_.target().limits, measure);
    const double value = valueOf(measure);
    Bar bar{measureName(measure),
            text(formatMeasure(measure, value)),
            loadOf(value, limit),
            isLimit(limit),
            {},
            {},
            {},
            {}};
    if (!bar.isLimited) return bar;
    bar.original = loadOf(at(document_.here().before.counts, measure), limit);
    if (document_.here().without)
        bar.without = loadOf(at(*document_.here().without, measure), limit);
    if (!hasSurvey_) return bar;
    bar.worst = elementOf(surveyed_, measure).worst;
    bar.median = elementOf(surveyed_, measure).median;
    return bar;
}

/// The frame of this view, and the slowest of the survey.
LoadBoard::Bar LoadBoard::frameBar() const {
    const double milliseconds = frameHere().milliseconds();
    return {document_.target().calibrated ? tr("Frame time") : tr("Frame estimate"),
            tr("%1 ms").arg(milliseconds, 0, 'f', 1),
            milliseconds / document_.target().frameTime(),
            true,
            {},
            {},
            slowest_,
            {}};
}

void LoadBoard::paintBar(QPainter& painter, const QRect& rect, const Bar& bar) {
    const State state = stateOf(bar.load);
    painter.setFont(textFont(12));
    painter.setPen(theme().ink);
    painter.drawText(rect.adjusted(0, 0, 0, -18), Qt::AlignLeft | Qt::AlignVCenter, bar.name);
    const double y = rect.top() + 27;
    painter.setPen(QPen(theme().ink, 1));
    painter.drawLine(QPointF(xOf(1), y - 7), QPointF(xOf(1), y + 9));
    painter.setFont(figureFont(10));
    painter.setPen(theme().faint);
    if (document_.counter().freshness() == ViewCounter::Freshness::Nothing) {
        painter.drawText(rect.adjusted(0, 0, 0, -18), Qt::AlignRight | Qt::AlignVCenter,
                         tr("counting"));
        return;
    }
    painter.drawText(rect.adjusted(0, 0, -64, -18), Qt::AlignRight | Qt::AlignVCenter, bar.value);
    const bool current = document_.counter().freshness() == ViewCounter::Freshness::Current;
    painter.setOpacity(current ? 1 : 0.5);
    painter.setFont(figureFont(12, state == State::Over));
    painter.setPen(state == State::Within ? theme().ink : stateColor(state));
    painter.drawText(rect.adjusted(0, 0, -18, -18), Qt::AlignRight | Qt::AlignVCenter,
                     bar.isLimited ? text(formatLoad(bar.load)) : "-");
    if (bar.isLimited && current)
        paintStateMark(painter, QPointF(rect.right() - 6, rect.top() + 10), 4.5, state);
    painter.setPen(QPen(theme().hairline, 1));
    painter.drawLine(QPointF(kSide, y), QPointF(width() - kSide, y));
    painter.fillRect(QRectF(kSide, y - 3, xOf(bar.load) - kSide, 6), stateColor(state));
    const auto tick = [&](double at, const QPen& pen) {
        painter.setPen(pen);
        painter.drawLine(QPointF(xOf(at), y - 7), QPointF(xOf(at), y + 7));
    };
    if (bar.original) tick(*bar.original, QPen(theme().faint, 1.5));
    if (bar.without) tick(*bar.without, QPen(theme().ink, 1.5, Qt::DotLine));
    if (bar.median) paintPointer(painter, QPointF(xOf(*bar.median), y + 4), false);
    if (bar.worst) paintPointer(painter, QPointF(xOf(*bar.worst), y + 4), true);
    painter.setOpacity(1);
}

/// Of the result, or of the original while there is no result of the present order.
double LoadBoard::valueOf(Measure measure) const {
    const bool current = document_.counter().freshness() == ViewCounter::Freshness::Current;
    return at(current ? document_.here().after.counts : document_.here().before.counts, measure);
}

/// What the numbers below are of.
QString LoadBoard::heading() const {
    switch (document_.counter().freshness()) {
        case ViewCounter::Freshness::Nothing:
            return tr("Counting ...");
        case ViewCounter::Freshness::Original:
            return document_.isOrderStopped() ? tr("Original here: order stopped")
                                              : tr("Original here: fixes at work");
        case ViewCounter::Freshness::Current:
            break;
    }
    return tr("Load here");
}

void LoadBoard::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setFont(textFont(11));
    painter.setPen(theme().faint);
    painter.drawText(QRect(kSide, 6, width() - 2 * kSide, 18), Qt::AlignLeft, heading());
    painter.drawText(QRect(static_cast<int>(xOf(1)) - 40, 6, 80, 18), Qt::AlignHCenter,
                     tr("limit"));
    if (!document_.hasScene()) return;
    const int rows = static_cast<int>(kMeasureCount);
    for (int row = 0; row < rows; ++row)
        paintBar(painter, rowRect(row), barOf(elementOf(kMeasures, row)));
    paintBar(painter, rowRect(rows), frameBar());
}

/// Milliseconds of this view, with what pixels were found filled with nearest to it.
FrameCost LoadBoard::frameHere() const {
    const Target& target = document_.target();
    const int spot = document_.survey().nearestSpot();
    PixelWork work;
    if (spot >= 0 && document_.survey().surveyed().survey->hasRays())
        work = elementOf(document_.survey().surveyed().survey->spots, spot).seen.work;
    const bool current = document_.counter().freshness() == ViewCounter::Freshness::Current;
    const ViewTally& here = current ? document_.here().after : document_.here().before;
    return frameCost(termsOf(here, target, work), target);
}

QString LoadBoard::describeFrame() const {
    if (document_.counter().freshness() != ViewCounter::Freshness::Current)
        return tr("Frame time: being counted");
    const Target& target = document_.target();
    const FrameCost cost = frameHere();
    return tr("Frame about %1 ms of %2 ms, limited by the %3 (%4)")
        .arg(cost.milliseconds(), 0, 'f', 1)
        .arg(target.frameTime(), 0, 'f', 1)
        .arg(cost.limitedBy(), target.calibrated ? tr("calibrated") : tr("estimate"));
}

bool LoadBoard::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    auto* help = static_cast<QHelpEvent*>(event);
    for (int row = 0; row < static_cast<int>(kMeasureCount); ++row) {
        if (!rowRect(row).contains(help->pos())) continue;
        QString tip =
            describe(row) + "\n" + measureHelp(elementOf(kMeasures, row)) + "\n" +
            (elementOf(kMeasures, row) == Measure::DrawCalls
                 ? tr("On this target %1.\n").arg(batchingHelp(document_.target().batching))
                 : QString()) +
            tr("Thin tick: the original.");
        if (hasSurvey_) {
            const Surveyed& surveyed = elementOf(surveyed_, row);
            tip += "\n" +
                   tr("Filled pointer: the worst surveyed view, %1; click to go there. Open "
                      "pointer: the median spot, %2.")
                       .arg(text(formatLoad(surveyed.worst)), text(formatLoad(surveyed.median)));
        }
        if (document_.here().without) tip += " " + tr("Dotted tick: without the selected fix.");
        QToolTip::showText(help->globalPos(), tip, this);
        return true;
    }
    if (document_.hasScene() && rowRect(static_cast<int>(kMeasureCount)).contains(help->pos())) {
        QString tip = describeFrame();
        if (slowest_)
            tip += "\n" + tr("Filled pointer: the slowest surveyed view, %1.")
                              .arg(text(formatLoad(*slowest_)));
        QToolTip::showText(help->globalPos(), tip, this);
        return true;
    }
    QToolTip::hideText();
    return true;
}

}  // namespace flentro::app
