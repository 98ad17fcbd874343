// Pictures that a widget keeps of what changes less often than it is painted.

#pragma once

#include <QImage>
#include <QWidget>

namespace flentro::app {

/// As large as the widget, in its display's own pixels.
[[nodiscard]] inline QImage makeLayer(const QWidget& widget, const QColor& fill) {
    const double ratio = widget.devicePixelRatioF();
    QImage layer(widget.size() * ratio, QImage::Format_ARGB32_Premultiplied);
    layer.setDevicePixelRatio(ratio);
    layer.fill(fill);
    return layer;
}

/// False where the widget has another size by now, or has gone to another display.
[[nodiscard]] inline bool fits(const QImage& layer, const QWidget& widget) {
    return layer.size() == widget.size() * widget.devicePixelRatioF();
}

}  // namespace flentro::app
