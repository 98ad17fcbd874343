// What a finding rests on, drawn: what it is about, the loads it takes down, and each number beside
// what it is held against.

#pragma once

#include <QWidget>

#include "findings/finding.h"
#include "model/document.h"
#include "panels/evidence_tiles.h"

namespace flentro::app {

class EvidenceView : public QWidget {
    Q_OBJECT

public:
    explicit EvidenceView(QWidget* parent = nullptr);
    void clear();
    /// `scene`: that the finding is about.
    void show(const Finding& finding, const Diagnosis& diagnosis, const ScenePtr& scene,
              const Target& target);
    [[nodiscard]] QSize sizeHint() const override;

    /// A measure before and after, as loads.
    struct Load {
        QString name;
        double before = 0, after = 0;
    };
    [[nodiscard]] const std::vector<Load>& loads() const { return loads_; }
    [[nodiscard]] const std::vector<EvidenceTile>& tiles() const { return tiles_; }

protected:
    void paintEvent(QPaintEvent* event) override;

private:
    void drawTiles(const Finding& finding, const ScenePtr& scene, const Target& target);
    void paintTiles(QPainter& painter);
    void paintLoad(QPainter& painter, int y, const Load& load);
    void paintQuantity(QPainter& painter, int y, const Quantity& quantity);
    void paintRow(QPainter& painter, int y, const QString& name, const QString& value);
    /// Pixels of the bars, between names and numbers.
    [[nodiscard]] double barWidth() const;
    [[nodiscard]] int tilesHeight() const;

    bool hasTiles_ = false;  ///< Or will, when they are drawn.
    std::vector<EvidenceTile> tiles_;
    LatestRunner runner_;
    std::vector<Load> loads_;
    std::vector<Quantity> quantities_;
};

}  // namespace flentro::app
