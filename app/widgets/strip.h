// Load over the surveyed spots: one line now, a thin one before, the limit across.

#pragma once

#include <QImage>
#include <QWidget>

#include "model/document.h"

namespace flentro::app {

class Strip : public QWidget {
    Q_OBJECT

public:
    explicit Strip(Document& document, QWidget* parent = nullptr);
    [[nodiscard]] QSize sizeHint() const override { return {400, 118}; }

    /// Spots as they stand from left to right: along a route as surveyed, else heaviest first.
    [[nodiscard]] const std::vector<std::size_t>& order() const { return order_; }

signals:
    void chosen(const Viewpoint& view);  ///< The worst heading of a spot.

protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void keyPressEvent(QKeyEvent* event) override;

private:
    void refresh();
    void redrawCurves();
    void go(int place);
    [[nodiscard]] int placeAt(double x) const;
    [[nodiscard]] int placeOfView() const;
    [[nodiscard]] double xOf(std::size_t place) const;
    [[nodiscard]] double yOf(double load) const;
    [[nodiscard]] double loadOf(const Surveyed::Tallies& tallies, std::size_t place,
                                const std::optional<Measure>& measure) const;
    void paintLine(QPainter& painter, const Surveyed::Tallies& tallies, const QPen& pen,
                   const std::optional<Measure>& measure);

    Document& document_;
    std::vector<std::size_t> order_;
    double highest_ = 2;  ///< Load at the top.
    /// All but the mark of the view, which moves with it.
    QImage curves_;
    bool curvesAreOld_ = true;
};

}  // namespace flentro::app
