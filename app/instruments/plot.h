// A plot in the program's own looks, with lines that can be dragged.

#pragma once

#include <qcustomplot.h>

#include <functional>

namespace flentro::app {

/// Log-log plots on paper: hairline grid, ink axes, figures in the figure font.
class Plot : public QCustomPlot {
    Q_OBJECT

public:
    explicit Plot(QWidget* parent = nullptr);

    /// Colours of the present sheet; called again when it changes.
    virtual void restyle();

    void setAxes(const QString& x, const QString& y);

signals:
    void handleMoved(int handle, double x, double y);  ///< While dragging, in plot coordinates.
    void handleReleased(int handle);

protected:
    /// Which handle is at this pixel; -1: none.
    [[nodiscard]] virtual int handleAt(const QPointF& pixel) const = 0;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

    void styleAxis(QCPAxis* axis);
    void useLogScale(QCPAxis* axis);

private:
    int dragged_ = -1;
};

}  // namespace flentro::app
