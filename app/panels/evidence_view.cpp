#include "panels/evidence_view.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "widgets/elements.h"
#include "widgets/theme.h"

namespace flentro::app {
namespace {

constexpr int kRow = 22;     ///< Pixels.
constexpr int kLabel = 150;  ///< Width of the names.
constexpr int kValue = 146;  ///< Width of the numbers.
constexpr int kTile = 92;    ///< Edge of a drawing.
constexpr int kCaption = 20;
constexpr std::size_t kMaxLoads = 4, kMaxQuantities = 4;

/// 0 to 1 on a log axis from a tenth to ten times a threshold.
double onLogAxis(double ratio) {
    return std::clamp((std::log10(std::max(ratio, 1e-9)) + 1) / 2, 0.0, 1.0);
}

}  // namespace

EvidenceView::EvidenceView(QWidget* parent) : QWidget(parent) {
    setAccessibleName(tr("Evidence"));
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
}

void EvidenceView::clear() {
    hasTiles_ = false;
    tiles_.clear();
    loads_.clear();
    quantities_.clear();
    runner_.request([] { return [] {}; });  // what is being drawn is not wanted any more
    updateGeometry();
    update();
}

int EvidenceView::tilesHeight() const {
    return hasTiles_ ? kTile + kCaption : 0;
}

QSize EvidenceView::sizeHint() const {
    const auto rows =
        static_cast<int>(std::max<std::size_t>(2, loads_.size() + quantities_.size()));
    return {kLabel + kValue + 120, tilesHeight() + kRow * rows};
}

void EvidenceView::show(const Finding& finding, const Diagnosis& diagnosis, const ScenePtr& scene,
                        const Target& target) {
    clear();
    for (const Diagnosis::Change& change : diagnosis.changes(finding.relief, target))
        loads_.push_back({measureName(change.measure), change.before, change.after});
    if (loads_.size() > kMaxLoads) loads_.resize(kMaxLoads);
    quantities_ = finding.evidence;
    if (quantities_.size() > kMaxQuantities) quantities_.resize(kMaxQuantities);
    hasTiles_ = finding.subjects.front().kind != Subject::Kind::Scene;
    if (hasTiles_) drawTiles(finding, scene, target);
    updateGeometry();
    update();
}

void EvidenceView::drawTiles(const Finding& finding, const ScenePtr& scene, const Target& target) {
    const double ratio = devicePixelRatioF();
    runner_.request([this, finding, scene, target, ratio, colors = theme()] {
        auto tiles = evidenceTiles(finding, *scene, target, colors,
                                   static_cast<int>(std::lround(kTile * ratio)));
        for (EvidenceTile& tile : tiles) tile.image.setDevicePixelRatio(ratio);
        return [this, tiles = std::move(tiles)] {
            tiles_ = tiles;
            hasTiles_ = !tiles_.empty();
            updateGeometry();
            update();
        };
    });
}

void EvidenceView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    paintTiles(painter);
    int y = tilesHeight();
    for (const Load& load : loads_) {
        paintLoad(painter, y, load);
        y += kRow;
    }
    for (const Quantity& quantity : quantities_) {
        paintQuantity(painter, y, quantity);
        y += kRow;
    }
}

void EvidenceView::paintTiles(QPainter& painter) {
    if (tiles_.empty()) return;
    const int slot = width() / static_cast<int>(tiles_.size());
    int x = 0;
    for (const EvidenceTile& tile : tiles_) {
        painter.drawImage(x, 0, tile.image);
        painter.setPen(theme().hairline);
        painter.drawRect(QRectF(x + 0.5, 0.5, kTile - 1, kTile - 1));
        painter.setFont(textFont(11));
        painter.setPen(theme().faint);
        painter.drawText(QRect(x, kTile, slot - 8, kCaption), Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(tile.caption, Qt::ElideMiddle, slot - 8));
        x += slot;
    }
}

double EvidenceView::barWidth() const {
    return std::max(40, width() - kLabel - kValue - 8);
}

void EvidenceView::paintRow(QPainter& painter, int y, const QString& name, const QString& value) {
    painter.setFont(textFont(12));
    painter.setPen(theme().faint);
    painter.drawText(QRect(0, y, kLabel - 8, kRow), Qt::AlignLeft | Qt::AlignVCenter,
                     painter.fontMetrics().elidedText(name, Qt::ElideRight, kLabel - 8));
    painter.setFont(figureFont(11));
    painter.setPen(theme().ink);
    painter.drawText(QRect(width() - kValue, y, kValue, kRow), Qt::AlignRight | Qt::AlignVCenter,
                     value);
}

/// Hatches the removed and, in the other direction, the added load; draws the limit as a line.
void EvidenceView::paintLoad(QPainter& painter, int y, const Load& load) {
    paintRow(
        painter, y, load.name,
        QString("%1 → %2").arg(toText(formatLoad(load.before)), toText(formatLoad(load.after))));
    const double most = std::max({load.before, load.after, 1.1});
    const double perLoad = barWidth() / most;
    const double least = std::min(load.before, load.after);
    const QRectF kept(kLabel, y + 6, perLoad * least, kRow - 12);
    const QRectF changed(kept.right(), y + 6, perLoad * (std::max(load.before, load.after) - least),
                         kRow - 12);
    const bool isAdded = load.after > load.before;
    painter.fillRect(kept, load.after > 1 ? theme().over : theme().within);
    painter.fillRect(changed, QBrush(isAdded ? theme().over : theme().within,
                                     isAdded ? Qt::FDiagPattern : Qt::BDiagPattern));
    painter.setPen(QPen(theme().ink, 1.5));
    const double limit = kLabel + perLoad;
    painter.drawLine(QPointF(limit, y + 2), QPointF(limit, y + kRow - 2));
}

/// A ring at the value, a line at what it is held against.
void EvidenceView::paintQuantity(QPainter& painter, int y, const Quantity& quantity) {
    const QString value = toText(formatQuantity(quantity.value, quantity.unit));
    const bool held = quantity.threshold && *quantity.threshold > 0;
    paintRow(painter, y, toText(quantity.label),
             held ? tr("%1, from %2")
                        .arg(value, toText(formatQuantity(*quantity.threshold, quantity.unit)))
                  : value);
    if (!held) return;
    const double middle = y + kRow / 2.0;
    const double right = kLabel + barWidth();
    const double limit = (kLabel + right) / 2;
    painter.setPen(QPen(theme().hairline, 1));
    painter.drawLine(QPointF(kLabel, middle), QPointF(right, middle));
    const double at = kLabel + barWidth() * onLogAxis(quantity.value / *quantity.threshold);
    painter.setPen(QPen(theme().ink, 1.5));
    painter.drawLine(QPointF(limit, y + 5), QPointF(limit, y + kRow - 5));
    painter.drawLine(QPointF(limit, middle), QPointF(at, middle));
    painter.setBrush(theme().paper);
    painter.drawEllipse(QPointF(at, middle), 4, 4);
}

}  // namespace flentro::app
