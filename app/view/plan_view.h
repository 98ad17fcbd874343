// The scene from above: outlines, lights, and what the present view takes in.

#pragma once

#include <QImage>
#include <QTimer>
#include <QWidget>

#include "fixes/fix.h"
#include "model/document.h"

namespace flentro::app {

class PlanView : public QWidget {
    Q_OBJECT

public:
    explicit PlanView(Document& document, QWidget* parent = nullptr);

signals:
    void chosen(const Viewpoint& view);  ///< Stand there.
    void swapRequested();                ///< Change places with the 3D view.

protected:
    bool event(QEvent* event) override;
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseDoubleClickEvent(QMouseEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void frame();
    [[nodiscard]] double surveySpacing() const;
    void redrawGround();
    [[nodiscard]] QPointF toScreen(const Vec3d& point) const;
    [[nodiscard]] Vec3d toWorld(const QPointF& point) const;
    void paintView(QPainter& painter);
    void paintSpots(QPainter& painter);
    void paintStarts(QPainter& painter);
    /// The start of another survey under a pixel.
    [[nodiscard]] std::optional<Ground> startAt(const QPointF& point) const;
    void redrawRoses();
    void paintEarly(QPainter& painter);
    void paintRoses(QPainter& painter);
    void paintRose(QPainter& painter, std::size_t spot);
    [[nodiscard]] State stateOfSpot(std::size_t spot) const;
    /// Pixels of a petal at load x1.00; under a few, roses shrink to their state marks.
    [[nodiscard]] double roseRadius() const;
    struct Petal {
        std::size_t spot;
        std::size_t view;
    };
    [[nodiscard]] std::optional<Petal> petalAt(const QPointF& point) const;
    void paintScaleBar(QPainter& painter);
    void paintParcels(QPainter& painter);
    /// The parcel under a pixel, the smallest of several; -1: none.
    [[nodiscard]] int parcelAt(const QPointF& point) const;
    [[nodiscard]] QRectF outlineOf(const Box& bounds) const;

    Document& document_;
    QImage ground_;  ///< Outlines of everything: redrawn when the scene or scale changes.
    /// What a survey tells of its spots: the window is painted far more often than that changes.
    QImage roses_;
    bool rosesAreOld_ = true;
    std::size_t earlyShown_ = 0;
    Vec3d centre_ = Vec3d::Zero();
    double scale_ = 1;    ///< Pixels a metre.
    double spacing_ = 8;  ///< Metres between surveyed spots.
    QTimer early_;        ///< Asks for new spots while a survey runs.
};

}  // namespace flentro::app
