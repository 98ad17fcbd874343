// Levels of one asset on a log distance axis: what is drawn, how far it deviates, and posts at
// the switch distances that can be dragged.

#pragma once

#include "instruments/plot.h"
#include "model/document.h"

namespace flentro::app {

/// Metres from which plots and pictures of a ladder begin: half a metre, or nearer for things that
/// are held in the hand.
[[nodiscard]] double nearestShown(const Ladder& ladder);

class LadderPlot : public Plot {
    Q_OBJECT

public:
    explicit LadderPlot(QWidget* parent = nullptr);
    void restyle() override;

    /// `asset` as the fix made it; `distance`: of the nearest copy in the present view, or 0.
    /// `held`: the same asset under other settings, drawn faint, or null.
    void show(const Asset& asset, const Asset* held, const Target& target, double distance);
    [[nodiscard]] const std::vector<double>& posts() const { return posts_; }
    void movePost(std::size_t post, double distance);
    [[nodiscard]] QPointF postPixel(std::size_t post) const;

protected:
    [[nodiscard]] int handleAt(const QPointF& pixel) const override;

private:
    void redraw();
    void drawHeld();

    Asset asset_;
    Asset held_;
    Target target_;
    double here_ = 0;
    std::vector<double> posts_;
    QCPGraph* triangles_ = nullptr;
    QCPGraph* deviation_ = nullptr;
    QCPGraph* density_ = nullptr;
    QCPGraph* heldTriangles_ = nullptr;
};

}  // namespace flentro::app
