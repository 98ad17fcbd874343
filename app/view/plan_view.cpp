#include "view/plan_view.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"
#include "base/median.h"
#include "base/text.h"
#include "view/lens.h"
#include "widgets/layer.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

/// Objects larger than this share of the scene are ground or sky, and hide the rest.
constexpr double kGroundShare = 0.5;

/// Objects smaller than this many pixels leave no mark.
constexpr double kSmallestMark = 1.2;

constexpr double kMargin = 4;  ///< Metres around the middle of the scene.

constexpr double kStartRadius = 8;   ///< Pixels.
constexpr int kEarlyInterval = 250;  ///< Milliseconds between looks for new spots.

}  // namespace

PlanView::PlanView(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
    setAccessibleName(tr("Plan"));
    setToolTip(
        tr("The scene from above. Click: stand there. Double click: swap with the 3D view."));
    connect(&document, &Document::sceneChanged, this, &PlanView::frame);
    connect(&document.projectModel(), &ProjectModel::viewChanged, this, [this] { update(); });
    connect(&document.counter(), &ViewCounter::changed, this, [this] { update(); });
    connect(&document.selection(), &Selection::changed, this, [this] { update(); });
    const auto ageRoses = [this] {
        rosesAreOld_ = true;
        update();
    };
    connect(&document.survey(), &SurveyModel::changed, this, [this, ageRoses] {
        spacing_ = surveySpacing();
        ageRoses();
    });
    connect(&document.projectModel(), &ProjectModel::changed, this, ageRoses);
    connect(&themeWatch(), &ThemeWatch::changed, this, [this] {
        if (document_.hasScene()) redrawGround();
    });
    early_.setInterval(kEarlyInterval);
    const auto lookForSpots = [this, ageRoses] {
        if (document_.survey().earlySpots().size() != earlyShown_) ageRoses();
    };
    connect(&early_, &QTimer::timeout, this, lookForSpots);
    connect(&document.jobs(), &JobRunner::changed, this, [this, lookForSpots] {
        if (document_.jobs().isRunning()) {
            if (!early_.isActive()) early_.start();
        } else {
            early_.stop();
            lookForSpots();
        }
    });
}

/// Median distance from a spot to its nearest neighbour, metres.
double PlanView::surveySpacing() const {
    if (!document_.survey().surveyed().exists()) return 8;
    const auto& spots = document_.survey().surveyed().survey->spots;
    std::vector<double> nearest;
    for (std::size_t i = 0; i < spots.size(); i += 1 + spots.size() / 64) {
        double least = std::numeric_limits<double>::infinity();
        for (std::size_t j = 0; j < spots.size(); ++j)
            if (j != i) least = std::min(least, (spots[i].eye - spots[j].eye).norm());
        if (std::isfinite(least)) nearest.push_back(least);
    }
    if (nearest.empty()) return 8;
    return std::max(0.5, median(std::move(nearest)));
}

void PlanView::frame() {
    if (!document_.hasScene()) return;
    const Box middle = middleOf(*document_.source(), kMargin);
    centre_ = middle.center();
    const Vec3d size = middle.sizes();
    scale_ = 0.94 * std::min(width() / std::max(size.x(), 1.0), height() / std::max(size.z(), 1.0));
    redrawGround();
}

void PlanView::resizeEvent(QResizeEvent*) {
    frame();
}

QPointF PlanView::toScreen(const Vec3d& point) const {
    return {width() / 2.0 + (point.x() - centre_.x()) * scale_,
            height() / 2.0 + (point.z() - centre_.z()) * scale_};
}

Vec3d PlanView::toWorld(const QPointF& point) const {
    return {centre_.x() + (point.x() - width() / 2.0) / scale_, document_.view().eye.y(),
            centre_.z() + (point.y() - height() / 2.0) / scale_};
}

void PlanView::redrawGround() {
    ground_ = makeLayer(*this, theme().paper);
    QPainter painter(&ground_);
    painter.setRenderHint(QPainter::Antialiasing);
    const Scene& scene = *document_.source();
    const double whole = scene.bounds().diagonal().norm();
    for (const Object& object : scene.objects) {
        const double size = sizeOf(object);
        if (size > kGroundShare * whole || size * scale_ < kSmallestMark) continue;
        QPolygonF outline;
        const Box& box = scene.mesh(object).bounds;
        for (const int corner : {0, 1, 5, 4})
            outline << toScreen(
                transformPoint(object.world, box.corner(static_cast<Box::CornerType>(corner))));
        QColor fill = theme().ink;
        fill.setAlpha(16);
        painter.setBrush(fill);
        painter.setPen(QPen(size * scale_ > 6 ? theme().faint : theme().hairline, 0.6));
        painter.drawPolygon(outline);
    }
    painter.setPen(Qt::NoPen);
    QColor glow = theme().near;
    glow.setAlpha(150);
    painter.setBrush(glow);
    for (const PlacedLight& light : scene.placedLights)
        painter.drawEllipse(toScreen(light.position), 1.3, 1.3);
    rosesAreOld_ = true;
    update();
}

void PlanView::paintView(QPainter& painter) {
    const Viewpoint& view = document_.view();
    const double half = document_.target().projection().horizontalFov() / 2;
    const double reach = std::max(width(), height()) * 1.5 / scale_;
    QPolygonF cone;
    cone << toScreen(view.eye);
    for (const double side : {-half, half})
        cone << toScreen(view.eye + std::min(reach, document_.target().farPlane) *
                                        lookDirection(view.heading + side, 0));
    QColor fill = theme().within;
    fill.setAlpha(46);
    painter.setBrush(fill);
    painter.setPen(QPen(theme().within, 1));
    painter.drawPolygon(cone);
    painter.setBrush(theme().ink);
    painter.setPen(Qt::NoPen);
    painter.drawEllipse(toScreen(view.eye), 3.5, 3.5);
}

void PlanView::paintSpots(QPainter& painter) {
    painter.setFont(textFont(10));
    painter.setPen(theme().ink);
    painter.setBrush(theme().paper);
    for (const Spot& spot : document_.project().spots) {
        const QPointF at = toScreen(spot.view.eye);
        painter.drawEllipse(at, 3, 3);
    }
}

/// Numbered, the largest ground first.
void PlanView::paintStarts(QPainter& painter) {
    painter.setFont(figureFont(11, true));
    const std::vector<Ground> starts = document_.survey().surveyed().startsLeft();
    for (std::size_t i = 0; i < starts.size(); ++i) {
        const QPointF at = toScreen(starts[i].eye);
        painter.setPen(QPen(theme().ink, 1.5));
        painter.setBrush(theme().paper);
        painter.drawEllipse(at, kStartRadius, kStartRadius);
        painter.drawText(QRectF(at.x() - kStartRadius, at.y() - kStartRadius, 2 * kStartRadius,
                                2 * kStartRadius),
                         Qt::AlignCenter, QString::number(i + 1));
    }
}

std::optional<Ground> PlanView::startAt(const QPointF& point) const {
    for (const Ground& start : document_.survey().surveyed().startsLeft()) {
        const QPointF by = point - toScreen(start.eye);
        if (std::hypot(by.x(), by.y()) <= kStartRadius) return start;
    }
    return std::nullopt;
}

// --- roses --------------------------------------------------------------------------------

namespace {

constexpr double kSmallestRose = 5;    ///< Pixels; below, a state mark stands for a rose.
constexpr double kLongestPetal = 1.6;  ///< Times the radius of x1.00; the number goes on.
constexpr double kHalfPetal = 16;      ///< Degrees.

/// State marks of one size, each painted once and stamped: a survey has thousands.
class MarkStamps {
public:
    /// `ratio`: the display's pixels to one of the widget's.
    MarkStamps(double radius, double ratio) : half_(static_cast<int>(std::ceil(1.5 * radius)) + 1) {
        for (const State state : {State::Within, State::Near, State::Over}) {
            QPixmap mark(QSize(2 * half_ + 1, 2 * half_ + 1) * ratio);
            mark.setDevicePixelRatio(ratio);
            mark.fill(Qt::transparent);
            QPainter painter(&mark);
            paintStateMark(painter, QPointF(half_ + 0.5, half_ + 0.5), radius, state);
            painter.end();
            marks_[state] = mark;
        }
    }
    void paint(QPainter& painter, const QPointF& centre, State state) const {
        painter.drawPixmap(centre.toPoint() - QPoint(half_, half_), marks_.at(state));
    }

private:
    int half_;  ///< Pixels from the middle to the edge.
    std::map<State, QPixmap> marks_;
};

}  // namespace

/// All of what a survey tells; empty where there is none.
void PlanView::redrawRoses() {
    roses_ = makeLayer(*this, Qt::transparent);
    QPainter painter(&roses_);
    painter.setRenderHint(QPainter::Antialiasing);
    paintRoses(painter);
    paintEarly(painter);
    rosesAreOld_ = false;
}

double PlanView::roseRadius() const {
    return 0.3 * spacing_ * scale_;
}

/// Spots of a survey that still runs.
void PlanView::paintEarly(QPainter& painter) {
    const auto spots = document_.survey().earlySpots();
    const MarkStamps marks(3, devicePixelRatioF());
    for (const EarlySpot& spot : spots)
        marks.paint(painter, toScreen(spot.eye), stateOf(spot.load));
    earlyShown_ = spots.size();
}

void PlanView::paintRose(QPainter& painter, std::size_t spot) {
    const Surveyed& surveyed = document_.survey().surveyed();
    const QPointF centre = toScreen(surveyed.survey->spots[spot].eye);
    const auto& views = surveyed.survey->spots[spot].views;
    const double radius = roseRadius();
    for (std::size_t v = 0; v < views.size(); ++v) {
        const double load = surveyed.load(surveyed.after, spot, v,
                                          document_.survey().shownMeasure(), document_.target());
        const double length = radius * std::min(load, kLongestPetal);
        const auto edge = [&](double turn, double share) {
            const double h = toRadians(views[v].heading + turn);
            return centre + share * length * QPointF(std::sin(h), -std::cos(h));
        };
        const QPolygonF petal = {centre, edge(-kHalfPetal, 0.8), edge(0, 1), edge(kHalfPetal, 0.8)};
        const QColor color = stateColor(stateOf(load));
        QColor fill = color;
        fill.setAlpha(stateOf(load) == State::Over ? 230 : 130);
        painter.setPen(QPen(color, 0.8));
        painter.setBrush(fill);
        painter.drawPolygon(petal);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(theme().faint, 0.8));
    painter.drawEllipse(centre, radius, radius);
}

void PlanView::paintRoses(QPainter& painter) {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists() || surveyed.after.empty()) return;
    const QRectF shown = QRectF(rect()).adjusted(-40, -40, 40, 40);
    const bool small = roseRadius() < kSmallestRose;
    const MarkStamps marks(std::max(2.0, roseRadius() * 0.6), devicePixelRatioF());
    for (std::size_t s = 0; s < surveyed.after.size(); ++s) {
        const QPointF centre = toScreen(surveyed.survey->spots[s].eye);
        if (!shown.contains(centre)) continue;
        if (small)
            marks.paint(painter, centre, stateOfSpot(s));
        else
            paintRose(painter, s);
    }
}

/// Of its worst view, in the shown measure.
State PlanView::stateOfSpot(std::size_t spot) const {
    const Surveyed& surveyed = document_.survey().surveyed();
    const auto& measure = document_.survey().shownMeasure();
    const std::size_t worst = surveyed.worstView(surveyed.after, spot, measure, document_.target());
    return stateOf(surveyed.load(surveyed.after, spot, worst, measure, document_.target()));
}

std::optional<PlanView::Petal> PlanView::petalAt(const QPointF& point) const {
    const Surveyed& surveyed = document_.survey().surveyed();
    if (!surveyed.exists() || surveyed.after.empty()) return std::nullopt;
    std::optional<Petal> found;
    double least = std::max(6.0, kLongestPetal * roseRadius());
    for (std::size_t s = 0; s < surveyed.after.size(); ++s) {
        const QPointF by = point - toScreen(surveyed.survey->spots[s].eye);
        const double distance = std::hypot(by.x(), by.y());
        if (distance >= least) continue;
        least = distance;
        const double heading = toDegrees(std::atan2(by.x(), -by.y()));
        const auto& views = surveyed.survey->spots[s].views;
        const auto off = [&](std::size_t v) {
            return std::fabs(std::remainder(views[v].heading - heading, 360));
        };
        std::size_t view = surveyed.worstView(surveyed.after, s, document_.survey().shownMeasure(),
                                              document_.target());
        if (roseRadius() >= kSmallestRose) {
            view = 0;
            for (std::size_t v = 1; v < views.size(); ++v)
                if (off(v) < off(view)) view = v;
        }
        found = Petal{s, view};
    }
    return found;
}

bool PlanView::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    auto* help = static_cast<QHelpEvent*>(event);
    if (const auto start = startAt(help->pos())) {
        QToolTip::showText(help->globalPos(),
                           tr("%1 m² of ground that no spot is near. Click: stand there, then "
                              "press Survey.")
                               .arg(start->area - start->walked, 0, 'f', 0),
                           this);
        return true;
    }
    const auto petal = petalAt(help->pos());
    const int parcel = parcelAt(help->pos());
    if (!petal && parcel >= 0) {
        const Parcel& p = elementOf(document_.evaluator().shownParcels()->parcels, parcel);
        QToolTip::showText(help->globalPos(),
                           tr("%1: %2 objects in one. In the mean view it saves %3 calls and %4 "
                              "objects and draws %5 "
                              "triangles more; it takes %6 more.")
                               .arg(QString::fromStdString(p.name))
                               .arg(p.members.size())
                               .arg(p.callsSaved, 0, 'f', 1)
                               .arg(p.objectsSaved, 0, 'f', 1)
                               .arg(QString::fromStdString(formatCount(p.trianglesPaid)),
                                    QString::fromStdString(formatBytes(p.bytesPaid))),
                           this);
        return true;
    }
    if (!petal) {
        QToolTip::showText(help->globalPos(), toolTip(), this);
        return true;
    }
    const Surveyed& surveyed = document_.survey().surveyed();
    const auto& measure = document_.survey().shownMeasure();
    const double load =
        surveyed.load(surveyed.after, petal->spot, petal->view, measure, document_.target());
    const SpotResult& spot = surveyed.survey->spots[petal->spot];
    QToolTip::showText(help->globalPos(),
                       tr("Spot %1, heading %2°: %3, %4 (%5). Click: stand there.")
                           .arg(QString::fromStdString(spot.name))
                           .arg(spot.views[petal->view].heading, 0, 'f', 0)
                           .arg(measure ? measureName(*measure) : tr("worst of all measures"),
                                QString::fromStdString(formatLoad(load)), stateWord(stateOf(load))),
                       this);
    return true;
}

// --- parcels ------------------------------------------------------------------------------

QRectF PlanView::outlineOf(const Box& bounds) const {
    return QRectF(toScreen(bounds.min()), toScreen(bounds.max())).normalized();
}

void PlanView::paintParcels(QPainter& painter) {
    const MergeReport* report = document_.evaluator().shownParcels();
    if (!report) return;
    constexpr std::size_t kMaxOutlines = 60;  // More would be a grid over everything.
    for (std::size_t i = 0; i < report->parcels.size(); ++i) {
        const bool chosen = static_cast<int>(i) == document_.selection().parcel();
        QColor fill = parcelColor(i);
        fill.setAlpha(chosen ? 170 : 80);
        painter.setBrush(fill);
        painter.setPen(chosen                                  ? QPen(theme().near, 2.5)
                       : report->parcels.size() > kMaxOutlines ? QPen(Qt::NoPen)
                                                               : QPen(parcelColor(i), 1));
        painter.drawRect(outlineOf(report->parcels[i].bounds));
    }
}

int PlanView::parcelAt(const QPointF& point) const {
    const MergeReport* report = document_.evaluator().shownParcels();
    int found = -1;
    double least = std::numeric_limits<double>::infinity();
    for (std::size_t i = 0; report && i < report->parcels.size(); ++i) {
        const QRectF outline = outlineOf(report->parcels[i].bounds);
        const double area = outline.width() * outline.height();
        if (!outline.contains(point) || area >= least) continue;
        least = area;
        found = static_cast<int>(i);
    }
    return found;
}

void PlanView::paintScaleBar(QPainter& painter) {
    double metres = std::pow(10, std::floor(std::log10(60 / scale_)));
    for (const double step : {2.0, 2.5, 2.0})
        if (metres * step * scale_ < 70) metres *= step;
    const double length = metres * scale_;
    const int y = height() - 9;
    painter.setPen(QPen(theme().ink, 1.2));
    painter.drawLine(QPointF(8, y), QPointF(8 + length, y));
    painter.drawLine(QPointF(8, y - 3), QPointF(8, y + 3));
    painter.drawLine(QPointF(8 + length, y - 3), QPointF(8 + length, y + 3));
    painter.setFont(textFont(10));
    painter.drawText(QPointF(14 + length, y + 4), QString::fromStdString(formatMetres(metres)));
}

void PlanView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), theme().paper);
    if (document_.hasScene()) {
        painter.drawImage(0, 0, ground_);
        paintParcels(painter);
        paintView(painter);
        paintSpots(painter);
        if (rosesAreOld_ || !fits(roses_, *this)) redrawRoses();
        painter.drawImage(0, 0, roses_);
        paintStarts(painter);
        const int selected = document_.selection().object();
        if (selected >= 0) {
            const Object& object = elementOf(document_.source()->objects, selected);
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(theme().ink, 1.5));
            painter.drawEllipse(toScreen(object.bounds.center()), 7, 7);
        }
        paintScaleBar(painter);
    }
    painter.setBrush(Qt::NoBrush);
    painter.setPen(theme().hairline);
    painter.drawRect(rect().adjusted(0, 0, -1, -1));
}

void PlanView::mousePressEvent(QMouseEvent* event) {
    if (!document_.hasScene()) return;
    if (const auto start = startAt(event->position())) {
        emit chosen({start->eye, document_.view().heading, 0});
        return;
    }
    if (const auto petal = petalAt(event->position())) {
        emit chosen(document_.survey().surveyed().survey->spots[petal->spot].views[petal->view]);
        return;
    }
    Viewpoint view = document_.view();
    view.eye = toWorld(event->position());
    emit chosen(view);
}

void PlanView::mouseDoubleClickEvent(QMouseEvent*) {
    emit swapRequested();
}

void PlanView::wheelEvent(QWheelEvent* event) {
    if (!document_.hasScene()) return;
    const Vec3d under = toWorld(event->position());
    scale_ *= std::pow(1.2, event->angleDelta().y() / 120.0);
    centre_ += under - toWorld(event->position());
    redrawGround();
}

}  // namespace flentro::app
