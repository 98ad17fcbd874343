// Fixes of lights: a plan with their reaches before and after, how many lie over each other on the
// ground, and a line for each light that changed.

#pragma once

#include "base/index.h"
#include "fixes/lights/light_report.h"
#include "instruments/fix_form.h"
#include "instruments/fix_instrument.h"

namespace flentro::app {

class LightPlan : public QWidget {
    Q_OBJECT

public:
    explicit LightPlan(QWidget* parent = nullptr);
    void show(const Scene& before, const Scene& after);
    void choose(int light);  ///< Placed light of the scene before; -1: none.
    [[nodiscard]] int chosen() const { return chosen_; }
    /// Where a placed light of the scene before is drawn, pixels.
    [[nodiscard]] QPointF placeOf(int light) const {
        return toScreen(elementOf(lights_, light).at);
    }

    /// Most lights over one place of the ground, before and after.
    [[nodiscard]] int mostBefore() const { return mostBefore_; }
    [[nodiscard]] int mostAfter() const { return mostAfter_; }

signals:
    void lightChosen(int light);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void resizeEvent(QResizeEvent* event) override;

private:
    struct Spot {
        QPointF at;                    ///< Metres, x and z.
        double before = 0, after = 0;  ///< Reach, metres; infinity: everywhere.
        bool isGone = false;
        bool castBefore = false, castAfter = false;
    };
    [[nodiscard]] QPointF toScreen(const QPointF& metres) const;
    void paintOverlap(QPainter& painter) const;
    [[nodiscard]] int overlapAt(const QPointF& metres, double Spot::*reach) const;
    void countOverlap();

    std::vector<Spot> lights_;
    QRectF ground_;
    std::vector<int> overlap_;  ///< [kCells * kCells] After.
    int mostBefore_ = 0;
    int mostAfter_ = 0;
    int chosen_ = -1;
};

class LightInstrument : public FixInstrumentBase {
    Q_OBJECT

public:
    LightInstrument(Document& document, const FixKind& kind, QWidget* parent = nullptr);

protected:
    void refresh() override;

private:
    void chooseLight();

    const FixKind& kind_;
    FixForm* form_;
    QLabel* reading_;
    LightPlan* plan_;
    QTableWidget* table_;
    QLabel* notes_;
};

}  // namespace flentro::app
