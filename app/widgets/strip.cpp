#include "widgets/strip.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>
#include <numeric>

#include "base/index.h"
#include "base/text.h"
#include "widgets/layer.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kLeft = 46;
constexpr int kRight = 12;
constexpr int kTop = 24;
constexpr int kBottom = 10;

QString text(const std::string& s) {
    return QString::fromStdString(s);
}

}  // namespace

Strip::Strip(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setAccessibleName(tr("Strip"));
    setFixedHeight(sizeHint().height());
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    connect(&document.survey(), &SurveyModel::changed, this, &Strip::refresh);
    connect(&themeWatch(), &ThemeWatch::changed, this, &Strip::refresh);
    connect(&document.projectModel(), &ProjectModel::viewChanged, this, [this] { update(); });
    hide();
}

void Strip::refresh() {
    const Surveyed& surveyed = document_.survey().surveyed();
    setVisible(surveyed.exists());
    order_.resize(surveyed.after.size());
    std::iota(order_.begin(), order_.end(), std::size_t{0});
    const auto& measure = document_.survey().shownMeasure();
    // By the load before, so that spots keep their places while fixes come and go.
    std::vector<double> before;
    for (std::size_t s = 0; s < order_.size(); ++s)
        before.push_back(surveyed.load(
            surveyed.before, s, surveyed.worstView(surveyed.before, s, measure, document_.target()),
            measure, document_.target()));
    if (!surveyed.alongLine)
        std::stable_sort(order_.begin(), order_.end(),
                         [&](std::size_t a, std::size_t b) { return before[a] > before[b]; });
    highest_ = 2;
    for (const double load : before)
        if (std::isfinite(load)) highest_ = std::max(highest_, load);
    curvesAreOld_ = true;
    update();
}

double Strip::xOf(std::size_t place) const {
    const double count = static_cast<double>(std::max<std::size_t>(2, order_.size())) - 1;
    return kLeft + (width() - kLeft - kRight) * static_cast<double>(place) / count;
}

/// Linear to the limit, logarithmic beyond it, as on the load board.
double Strip::yOf(double load) const {
    const double tall = height() - kTop - kBottom;
    const double beyond = load > 1 ? std::log(std::min(load, highest_)) / std::log(highest_) : 0;
    return height() - kBottom - tall * (0.5 * std::min(load, 1.0) + 0.5 * std::min(beyond, 1.0));
}

double Strip::loadOf(const Surveyed::Tallies& tallies, std::size_t place,
                     const std::optional<Measure>& measure) const {
    const Surveyed& surveyed = document_.survey().surveyed();
    const std::size_t spot = order_[place];
    return surveyed.load(tallies, spot,
                         surveyed.worstView(tallies, spot, measure, document_.target()), measure,
                         document_.target());
}

void Strip::paintLine(QPainter& painter, const Surveyed::Tallies& tallies, const QPen& pen,
                      const std::optional<Measure>& measure) {
    QPolygonF line;
    // Of more spots than columns: what each column spans.
    for (std::size_t i = 0; i < order_.size();) {
        const double x = xOf(i);
        double low = yOf(loadOf(tallies, i, measure));
        double high = low;
        for (++i; i < order_.size() && xOf(i) < std::floor(x) + 1; ++i) {
            const double y = yOf(loadOf(tallies, i, measure));
            low = std::min(low, y);
            high = std::max(high, y);
        }
        line << QPointF(x, low);
        if (high > low) line << QPointF(x, high);
    }
    painter.setPen(pen);
    painter.setBrush(Qt::NoBrush);
    painter.drawPolyline(line);
}

void Strip::redrawCurves() {
    curves_ = makeLayer(*this, theme().paper);
    curvesAreOld_ = false;
    QPainter painter(&curves_);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(theme().hairline);
    painter.drawLine(0, 0, width(), 0);
    if (order_.empty()) return;
    const auto& measure = document_.survey().shownMeasure();
    const auto over = static_cast<std::size_t>(
        std::count_if(order_.begin(), order_.end(), [&, i = std::size_t{0}](std::size_t) mutable {
            return loadOf(document_.survey().surveyed().after, i++, measure) > 1;
        }));
    painter.setFont(textFont(11));
    painter.setPen(theme().faint);
    const QString how =
        document_.survey().surveyed().alongLine ? tr("along the way") : tr("heaviest first");
    painter.drawText(QRect(kLeft, 4, width() - kLeft - kRight, 16), Qt::AlignLeft,
                     (measure ? tr("%1 over %2 spots, %3; thin: original")
                              : tr("%1 over %2 spots, %3; thin: original, faint: each "
                                   "measure"))
                         .arg(measure ? measureName(*measure) : tr("Worst load"))
                         .arg(order_.size())
                         .arg(how));
    painter.drawText(QRect(kLeft, 4, width() - kLeft - kRight, 16), Qt::AlignRight,
                     tr("%1 over").arg(over));
    painter.setFont(figureFont(10));
    for (const double load : {0.0, 1.0, highest_}) {
        painter.setPen(QPen(load == 1 ? theme().ink : theme().hairline, 1));
        painter.drawLine(QPointF(kLeft, yOf(load)), QPointF(width() - kRight, yOf(load)));
        painter.setPen(load == 1 ? theme().ink : theme().faint);
        painter.drawText(QRectF(0, yOf(load) - 8, kLeft - 5, 16), Qt::AlignRight | Qt::AlignVCenter,
                         text(formatLoad(load)));
    }
    if (!measure)
        for (const Measure each : kMeasures)
            if (isLimit(at(document_.target().limits, each)))
                paintLine(painter, document_.survey().surveyed().after, QPen(theme().hairline, 1),
                          each);
    paintLine(painter, document_.survey().surveyed().before, QPen(theme().faint, 1), measure);
    paintLine(painter, document_.survey().surveyed().after, QPen(theme().ink, 2), measure);
}

void Strip::paintEvent(QPaintEvent*) {
    if (curvesAreOld_ || !fits(curves_, *this)) redrawCurves();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.drawImage(0, 0, curves_);
    const int here = placeOfView();
    if (here < 0) return;
    const auto place = static_cast<std::size_t>(here);
    const auto& measure = document_.survey().shownMeasure();
    const double load = loadOf(document_.survey().surveyed().after, place, measure);
    painter.setPen(QPen(theme().ink, 1, Qt::DotLine));
    painter.drawLine(QPointF(xOf(place), kTop), QPointF(xOf(place), height() - kBottom));
    paintStateMark(painter, QPointF(xOf(place), yOf(load)), 4.5, stateOf(load));
}

int Strip::placeOfView() const {
    const int nearest = document_.survey().nearestSpot();
    const auto found = std::find(order_.begin(), order_.end(), static_cast<std::size_t>(nearest));
    return nearest < 0 || found == order_.end() ? -1 : static_cast<int>(found - order_.begin());
}

int Strip::placeAt(double x) const {
    const double wide = std::max(1, width() - kLeft - kRight);
    const double last = static_cast<double>(order_.size()) - 1;
    return static_cast<int>(std::lround(std::clamp((x - kLeft) / wide, 0.0, 1.0) * last));
}

void Strip::go(int place) {
    if (order_.empty()) return;
    const Surveyed& surveyed = document_.survey().surveyed();
    const std::size_t spot =
        elementOf(order_, std::clamp(place, 0, static_cast<int>(order_.size()) - 1));
    const std::size_t view = surveyed.worstView(
        surveyed.after, spot, document_.survey().shownMeasure(), document_.target());
    emit chosen(surveyed.survey->spots[spot].views[view]);
}

void Strip::mousePressEvent(QMouseEvent* event) {
    setFocus();
    go(placeAt(event->position().x()));
}

void Strip::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton) go(placeAt(event->position().x()));
}

void Strip::keyPressEvent(QKeyEvent* event) {
    const int by = event->key() == Qt::Key_Right ? 1 : event->key() == Qt::Key_Left ? -1 : 0;
    if (by == 0) return QWidget::keyPressEvent(event);
    go(std::max(0, placeOfView()) + by);
}

bool Strip::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip || order_.empty()) return QWidget::event(event);
    auto* help = static_cast<QHelpEvent*>(event);
    const auto place = static_cast<std::size_t>(placeAt(help->pos().x()));
    const auto& measure = document_.survey().shownMeasure();
    const Surveyed& surveyed = document_.survey().surveyed();
    QString tip = tr("Spot %1: %2, original %3")
                      .arg(text(surveyed.survey->spots[order_[place]].name),
                           text(formatLoad(loadOf(surveyed.after, place, measure))),
                           text(formatLoad(loadOf(surveyed.before, place, measure))));
    for (const Measure each : kMeasures) {
        const double before = loadOf(surveyed.before, place, each);
        const double after = loadOf(surveyed.after, place, each);
        if (std::abs(after - before) > 0.005)
            tip += tr("\n%1: %2 to %3")
                       .arg(measureName(each), text(formatLoad(before)), text(formatLoad(after)));
    }
    QToolTip::showText(help->globalPos(), tip, this);
    return true;
}

}  // namespace flentro::app
