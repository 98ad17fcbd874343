#include "instruments/ladder_plot.h"

#include <cmath>

#include "view/lens.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr double kGrip = 7;             ///< Pixels beside a post that take hold of it.
constexpr double kNearest = 0.5;        ///< Metres at the left end of the axis, or nearer.
constexpr double kClosestPosts = 1.02;  ///< Posts keep this ratio to their neighbours.

/// Surface seen of one copy, roughly: half the faces, in pixels at one metre.
double pixelsAtOneMetre(const Mesh& mesh, const Target& target) {
    const Vec3d size = mesh.bounds.isEmpty() ? Vec3d::Zero() : Vec3d(mesh.bounds.sizes());
    const double area = size.x() * size.y() + size.y() * size.z() + size.z() * size.x();
    const double scale = pixelsPerMetreAtOne(target);
    return area / 3 * scale * scale;
}

}  // namespace

LadderPlot::LadderPlot(QWidget* parent) : Plot(parent) {
    setAccessibleName(tr("Ladder"));
    useLogScale(xAxis);
    useLogScale(yAxis);
    useLogScale(yAxis2);
    yAxis2->setVisible(true);
    heldTriangles_ = addGraph();
    triangles_ = addGraph();
    deviation_ = addGraph(xAxis, yAxis2);
    density_ = addGraph(xAxis, yAxis2);
    triangles_->setLineStyle(QCPGraph::lsStepLeft);
    heldTriangles_->setLineStyle(QCPGraph::lsStepLeft);
    setAxes(tr("distance, m"), tr("triangles of one copy"));
    yAxis2->setNumberFormat("g");
    yAxis2->setNumberPrecision(5);
    yAxis2->setLabel(tr("px, px²"));
    LadderPlot::restyle();
}

void LadderPlot::restyle() {
    Plot::restyle();
    if (!triangles_) return;
    triangles_->setPen(QPen(theme().ink, 2));
    heldTriangles_->setPen(QPen(theme().near, 1.5, Qt::DashLine));
    deviation_->setPen(QPen(theme().over, 1.5));
    density_->setPen(QPen(theme().within, 1.5, Qt::DashLine));
    redraw();
}

void LadderPlot::show(const Asset& asset, const Asset* held, const Target& target,
                      double distance) {
    asset_ = asset;
    held_ = held ? *held : Asset();
    target_ = target;
    here_ = distance;
    posts_.clear();
    for (const Ladder::Level& level : asset.ladder.levels) posts_.push_back(level.switchDistance);
    redraw();
}

double nearestShown(const Ladder& ladder) {
    const auto& levels = ladder.levels;
    return levels.empty() ? kNearest : std::min(kNearest, levels.front().switchDistance / 2);
}

void LadderPlot::movePost(std::size_t post, double distance) {
    const double low = post == 0 ? nearestShown(asset_.ladder) : posts_[post - 1] * kClosestPosts;
    const double high =
        post + 1 < posts_.size() ? posts_[post + 1] / kClosestPosts : target_.farPlane;
    if (low > high) return;
    posts_[post] = std::clamp(distance, low, high);
    redraw();
}

QPointF LadderPlot::postPixel(std::size_t post) const {
    return {xAxis->coordToPixel(posts_[post]), axisRect()->center().y() * 1.0};
}

int LadderPlot::handleAt(const QPointF& pixel) const {
    for (std::size_t i = 0; i < posts_.size(); ++i)
        if (std::fabs(xAxis->coordToPixel(posts_[i]) - pixel.x()) <= kGrip)
            return static_cast<int>(i);
    return -1;
}

void LadderPlot::drawHeld() {
    QVector<double> x, count;
    if (held_.mesh) {
        for (std::size_t level = 0; level < held_.levelCount(); ++level) {
            x.push_back(level == 0 ? nearestShown(asset_.ladder)
                                   : held_.ladder.levels[level - 1].switchDistance);
            count.push_back(static_cast<double>(held_.level(level)->triangles));
        }
        x.push_back(target_.farPlane);
        count.push_back(count.back());
    }
    heldTriangles_->setData(x, count, true);
}

void LadderPlot::redraw() {
    if (!asset_.mesh) return;
    clearItems();
    drawHeld();
    const double scale = pixelsPerMetreAtOne(target_);
    QVector<double> x, count, deviation, density;
    const double surface = pixelsAtOneMetre(*asset_.mesh, target_);
    constexpr int kSamples = 160;
    const double reach = target_.farPlane;
    const double left = nearestShown(asset_.ladder);
    for (int i = 0; i <= kSamples; ++i) {
        const double d = left * std::pow(reach / left, static_cast<double>(i) / kSamples);
        std::size_t level = 0;
        while (level < posts_.size() && posts_[level] <= d) ++level;
        const auto triangles = static_cast<double>(asset_.level(level)->triangles);
        const double error = level == 0 ? 0 : asset_.ladder.levels[level - 1].deviation;
        x.push_back(d);
        count.push_back(std::max(1.0, triangles));
        deviation.push_back(std::max(1e-4, error * scale / d));
        density.push_back(std::max(1e-4, surface / (d * d) / std::max(1.0, triangles)));
    }
    triangles_->setData(x, count, true);
    deviation_->setData(x, deviation, true);
    density_->setData(x, density, true);
    xAxis->setRange(left, reach);
    yAxis->setRange(5, std::max(100.0, static_cast<double>(asset_.mesh->triangles) * 4));
    yAxis2->setRange(0.05, 1000);
    for (std::size_t i = 0; i < posts_.size(); ++i) {
        auto* line = new QCPItemStraightLine(this);
        line->point1->setCoords(posts_[i], 1);
        line->point2->setCoords(posts_[i], 10);
        line->setPen(QPen(levelColor(i + 1), 2));
    }
    // After all lines, as posts may stand closer than a name is wide.
    for (std::size_t i = 0; i < posts_.size(); ++i) {
        auto* label = new QCPItemText(this);
        label->position->setTypeX(QCPItemPosition::ptPlotCoords);
        label->position->setTypeY(QCPItemPosition::ptAxisRectRatio);
        label->position->setCoords(posts_[i], 0.01 + 0.09 * static_cast<double>(i % 3));
        label->setPositionAlignment(Qt::AlignLeft | Qt::AlignTop);
        label->setText(QString("LOD %1").arg(i + 1));
        label->setPadding({4, 1, 4, 1});
        label->setBrush(theme().raised);
        label->setFont(textFont(10));
        label->setColor(theme().ink);
    }
    if (here_ > left) {
        auto* line = new QCPItemStraightLine(this);
        line->point1->setCoords(here_, 1);
        line->point2->setCoords(here_, 10);
        line->setPen(QPen(theme().faint, 1, Qt::DotLine));
    }
    replot(QCustomPlot::rpQueuedReplot);
}

}  // namespace flentro::app
