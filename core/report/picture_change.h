// What each step of a work order changes in the pictures that players see.

#pragma once

#include <filesystem>
#include <vector>

#include "fixes/work_order.h"
#include "picture/picture_error.h"

namespace flentro {

struct PictureChangeSettings {
    std::size_t views = 6;  ///< Those that the steps change most; see changedViews().
    double share = 0.25;    ///< Of the target's pixels along an edge, (0, 1].
    /// Where the worst view of each step is put, before and after, as PNG; empty: nowhere.
    std::filesystem::path folder = {};
};

/// One step; see PictureError.
struct PictureChange {
    double meanFlip = 0;
    double worstFlip = 0;    ///< Of a whole view.
    double worstRegion = 0;  ///< Of an eighth by an eighth of a view.
    double meanSimilarity = 1;
    double leastSimilarity = 1;
    std::size_t views = 0;                        ///< That were drawn ...
    std::size_t candidates = 0;                   ///< ... of so many.
    Viewpoint worst;                              ///< The view of `worstFlip`.
    std::vector<std::filesystem::path> pictures;  ///< Before and after from there, if asked for.
};

/// Pixels of the target's display in a degree at its middle, `share` of them along an edge.
[[nodiscard]] double pixelsPerDegree(const Target& target, double share);

/// [steps] Levels and culling as in play, both sides lit alike (see ScenePainter). Nothing without
/// evidence. Errors: Io, Cancelled. Cost: a RayScene and `views` pictures for each step, from the
/// first levels on a RayScene for each picture.
[[nodiscard]] Expected<std::vector<PictureChange>> pictureChanges(
    const Evaluation& evaluation, const Target& target, const Evidence& evidence,
    const PictureChangeSettings& settings, Progress& progress);

}  // namespace flentro
