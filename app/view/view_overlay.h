// What lies over the 3D view: lens menu, legend, outline of the selection, swipe line.

#pragma once

#include <QToolButton>
#include <QWidget>

#include "view/view3d.h"

namespace flentro::app {

class ViewOverlay : public QWidget {
    Q_OBJECT

public:
    ViewOverlay(Document& document, View3D& view);

protected:
    void paintEvent(QPaintEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    void fillLensMenu();
    void placeButtons();
    void paintSelection(QPainter& painter);
    void paintParcels(QPainter& painter);
    void paintFrame(QPainter& painter);
    void paintGhosts(QPainter& painter);
    void paintBox(QPainter& painter, const Mat4d& world, const Box& box) const;
    void paintPreviewBanner(QPainter& painter);
    void paintSwipe(QPainter& painter);
    void paintLegend(QPainter& painter);
    void paintCaption(QPainter& painter);
    void paintEmpty(QPainter& painter);
    void paintPosts(QPainter& painter);
    void paintStarts(QPainter& painter);
    void paintOffBanner(QPainter& painter);

    Document& document_;
    View3D& view_;
    QToolButton* lens_;
};

}  // namespace flentro::app
