#include "panels/fill_bar.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>
#include <algorithm>

#include "base/index.h"
#include "base/text.h"
#include "widgets/elements.h"
#include "widgets/theme.h"

namespace flentro::app {

FillBar::FillBar(QWidget* parent) : QWidget(parent) {
    setAccessibleName(tr("Shares of the whole"));
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
}

void FillBar::show(std::vector<Segment> segments) {
    segments_ = std::move(segments);
    setVisible(!segments_.empty());
    update();
}

int FillBar::segmentAt(double x) const {
    double end = 0;
    for (std::size_t i = 0; i < segments_.size(); ++i) {
        end += segments_[i].share * width();
        if (x < end) return static_cast<int>(i);
    }
    return -1;
}

bool FillBar::event(QEvent* event) {
    if (event->type() != QEvent::ToolTip) return QWidget::event(event);
    const auto* help = static_cast<QHelpEvent*>(event);
    const int at = segmentAt(help->pos().x());
    if (at < 0) {
        QToolTip::showText(help->globalPos(), tr("the rest"));
    } else {
        const Segment& segment = elementOf(segments_, at);
        QToolTip::showText(help->globalPos(),
                           QString("%1, %2").arg(segment.name, toText(formatShare(segment.share))));
    }
    return true;
}

void FillBar::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    const double high = height() - 2;
    painter.fillRect(QRectF(0, 1, width(), high), theme().raised);
    double x = 0;
    painter.setFont(textFont(11));
    for (std::size_t i = 0; i < segments_.size(); ++i) {
        const Segment& segment = segments_[i];
        const double wide = segment.share * width();
        // Neighbours differ; the heaviest is the darkest.
        QColor tone = heat(0.06 + 0.3 * static_cast<double>(i % 4) / 3);
        const QRectF box(x, 1, std::max(0.0, wide - 1), high);
        painter.fillRect(box, tone);
        const QRectF shadow(box.left(), box.top(), box.width() * segment.shadow, box.height());
        painter.fillRect(shadow, QBrush(theme().paper, Qt::BDiagPattern));
        paintName(painter, box, tone, segment.name);
        x += wide;
    }
    painter.setPen(theme().hairline);
    painter.setBrush(Qt::NoBrush);
    painter.drawRect(QRectF(0.5, 1.5, width() - 1, high - 1));
}

/// On a patch of the segment's own colour, so that hatching does not run through it.
void FillBar::paintName(QPainter& painter, const QRectF& box, const QColor& tone,
                        const QString& name) {
    constexpr double kLeast = 36;  // pixels
    constexpr int kMargin = 4;
    if (box.width() < kLeast) return;
    const QString text = painter.fontMetrics().elidedText(
        name, Qt::ElideRight, static_cast<int>(box.width()) - 3 * kMargin);
    const double wide = painter.fontMetrics().horizontalAdvance(text);
    const QRectF patch(box.left() + kMargin, box.center().y() - 8, wide + 2 * kMargin, 16);
    painter.fillRect(patch, tone);
    painter.setPen(tone.lightnessF() < 0.55 ? QColor(Qt::white) : QColor(Qt::black));
    painter.drawText(patch, Qt::AlignCenter, text);
}

void FillBar::mousePressEvent(QMouseEvent* event) {
    if (const int at = segmentAt(event->position().x()); at >= 0) emit chosen(at);
}

}  // namespace flentro::app
