#include "sheets/evidence_view.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "sheets/sheet.h"
#include "theme.h"

namespace flentro::app {
namespace {

constexpr int kRow = 22;     ///< Pixels.
constexpr int kLabel = 150;  ///< Width of the names.
constexpr int kValue = 146;  ///< Width of the numbers.
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
    loads_.clear();
    quantities_.clear();
    updateGeometry();
    update();
}

QSize EvidenceView::sizeHint() const {
    return {kLabel + kValue + 120,
            kRow * static_cast<int>(std::max<std::size_t>(2, loads_.size() + quantities_.size()))};
}

void EvidenceView::show(const Finding& finding, const Diagnosis& diagnosis, const Target& target) {
    clear();
    for (const Measure measure : kMeasures) {
        const double limit = at(target.limits, measure);
        const double saved = at(finding.relief.worst, measure);
        if (!isLimit(limit) || limit <= 0 || saved / limit < 0.005) continue;
        const double before = at(diagnosis.loads, measure);
        loads_.push_back({measureName(measure), before, std::max(0.0, before - saved / limit)});
    }
    std::stable_sort(loads_.begin(), loads_.end(), [](const Load& a, const Load& b) {
        return a.before - a.after > b.before - b.after;
    });
    if (loads_.size() > kMaxLoads) loads_.resize(kMaxLoads);
    quantities_ = finding.evidence;
    if (quantities_.size() > kMaxQuantities) quantities_.resize(kMaxQuantities);
    updateGeometry();
    update();
}

void EvidenceView::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    int y = 0;
    const double left = kLabel;
    const double width = std::max(40, this->width() - kLabel - kValue - 8);
    const auto row = [&](const QString& name, const QString& value) {
        painter.setFont(textFont(12));
        painter.setPen(theme().faint);
        painter.drawText(QRect(0, y, kLabel - 8, kRow), Qt::AlignLeft | Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(name, Qt::ElideRight, kLabel - 8));
        painter.setFont(figureFont(11));
        painter.setPen(theme().ink);
        painter.drawText(QRect(this->width() - kValue, y, kValue, kRow),
                         Qt::AlignRight | Qt::AlignVCenter, value);
    };
    // Loads: what goes is hatched, the limit is a line.
    for (const Load& load : loads_) {
        row(load.name, QString("%1 → %2").arg(toText(formatLoad(load.before)),
                                              toText(formatLoad(load.after))));
        const double most = std::max(load.before, 1.1);
        const QRectF after(left, y + 6, width * load.after / most, kRow - 12);
        const QRectF gone(after.right(), y + 6, width * (load.before - load.after) / most,
                          kRow - 12);
        painter.fillRect(after, load.after > 1 ? theme().over : theme().within);
        painter.fillRect(gone, QBrush(theme().within, Qt::BDiagPattern));
        painter.setPen(QPen(theme().ink, 1.5));
        const double limit = left + width / most;
        painter.drawLine(QPointF(limit, y + 2), QPointF(limit, y + kRow - 2));
        y += kRow;
    }
    // Quantities: a ring at the value, a line at what it is held against.
    for (const Quantity& quantity : quantities_) {
        const QString value = toText(formatQuantity(quantity.value, quantity.unit));
        const bool held = quantity.threshold && *quantity.threshold > 0;
        row(toText(quantity.label),
            held ? tr("%1, from %2")
                       .arg(value, toText(formatQuantity(*quantity.threshold, quantity.unit)))
                 : value);
        if (held) {
            const double middle = y + kRow / 2.0;
            painter.setPen(QPen(theme().hairline, 1));
            painter.drawLine(QPointF(left, middle), QPointF(left + width, middle));
            const double at = left + width * onLogAxis(quantity.value / *quantity.threshold);
            painter.setPen(QPen(theme().ink, 1.5));
            painter.drawLine(QPointF(left + width / 2, y + 5),
                             QPointF(left + width / 2, y + kRow - 5));
            painter.drawLine(QPointF(left + width / 2, middle), QPointF(at, middle));
            painter.setBrush(theme().paper);
            painter.drawEllipse(QPointF(at, middle), 4, 4);
        }
        y += kRow;
    }
}

}  // namespace flentro::app
