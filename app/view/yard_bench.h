// Draws a stress yard off screen, as a game would, and times it.

#pragma once

#include <QImage>
#include <QOffscreenSurface>

#include "base/progress.h"
#include "measure/stress_yard.h"
#include "measure/viewcost.h"

namespace flentro::app {

struct YardFigures {
    QString variant;
    Counts counts{};
    // Medians of some frames.
    double frameMilliseconds = 0;  ///< Until everything was drawn.
    double gpuMilliseconds = 0;    ///< By the renderer's own timer.
    double cpuMilliseconds = 0;    ///< Until everything was handed over.
    QImage picture;
};

struct YardReport {
    QString renderer;  ///< What drew it, in its own words.
    QSize size;        ///< Pixels.
    int frames = 0;
    std::vector<YardFigures> figures;
    QString failure;  ///< Why there are none.
};

/// Its surface belongs to the interface thread; everything else happens on the caller's.
class YardBench {
public:
    YardBench();

    /// Draws every variant in `copies`. Cancelled: the figures so far.
    [[nodiscard]] YardReport run(const Scene& from, const std::vector<YardVariant>& variants,
                                 std::size_t copies, const Target& target, Progress& progress);

private:
    QOffscreenSurface surface_;
};

}  // namespace flentro::app
