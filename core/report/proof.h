// Before and after at the same places and headings.

#pragma once

#include <array>

#include "fixes/evidence.h"
#include "measure/frame_cost.h"
#include "survey/spots.h"

namespace flentro {

/// The worst of one place's views, of one scene.
struct WorstLoad {
    double load = 0;
    double value = 0;  ///< As counted.
    Measure measure = Measure::Triangles;
    Viewpoint view;
};

struct SpotProof {
    WorstLoad before, after;
};

/// One measure over all places.
struct MeasureProof {
    WorstLoad before, after;
    std::size_t overBefore = 0;  ///< Spots with any view above its limit.
    std::size_t overAfter = 0;
};

/// The frame of one view: an estimate, unless the target was calibrated.
struct FrameLoad {
    double load = 0;  ///< Milliseconds / those of a frame.
    CostTerms terms{};
    FrameCost cost;
    Viewpoint view;
};

/// Frames over all places. Pixels are filled as they were surveyed, also after the fixes; by one
/// plain surface where there were no rays.
struct FrameProof {
    FrameLoad before, after;     ///< The slowest.
    std::size_t overBefore = 0;  ///< Spots with any view that takes longer than a frame may.
    std::size_t overAfter = 0;
};

struct Proof {
    std::vector<SpotProof> spots;  ///< One for each place, in their order.
    std::array<MeasureProof, kMeasureCount> measures;
    FrameProof frame;
    std::size_t overBefore = 0;  ///< Spots with any view above x1.00.
    std::size_t overAfter = 0;
    std::size_t worstBefore = 0;  ///< Spots with the highest loads.
    std::size_t worstAfter = 0;
};

/// Places of spots with the views of each, or so many headings all around at eye level.
[[nodiscard]] std::vector<Evidence::Place> placesAt(const std::vector<SurveySpot>& spots,
                                                    int headings);

/// Counts all views of the places in both scenes. Measures of single assets (largest texture,
/// materials of an object, vertices of a part) do not add up but jump from level to level: they
/// count as if the eye could come `slack` metres nearer to each object than the place is.
/// Cancelled: of the places that were counted. Cost: as two surveys without rays; all cores.
[[nodiscard]] Proof prove(const Scene& before, const Scene& after, const Target& target,
                          const std::vector<Evidence::Place>& places, double slack = 0,
                          Progress& progress = noProgress());

/// Metres between the places that are counted between spots of this spacing: spots are planned half
/// as far apart, and refined to a half of that.
[[nodiscard]] inline double spacingBetween(double spacing) {
    return spacing / 4;
}

/// The largest share of its distance by which a level stays for an eye that comes nearer. Counts
/// know no history: they take the finer level at once, while copies at two levels take calls of
/// their own.
[[nodiscard]] double largestHysteresis(const Scene& scene);

/// Format flentro-proof: the worst view of every spot and of every measure, before and after.
[[nodiscard]] Json toJson(const Proof& proof, const Target& target);

}  // namespace flentro
