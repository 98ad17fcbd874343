// Before and after at the same places and headings.

#pragma once

#include <array>

#include "fixes/evidence.h"
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

struct Proof {
    std::vector<SpotProof> spots;  ///< One for each place, in their order.
    std::array<MeasureProof, kMeasureCount> measures;
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
/// Cost: as two surveys without rays; all cores.
[[nodiscard]] Proof prove(const Scene& before, const Scene& after, const Target& target,
                          const std::vector<Evidence::Place>& places, double slack = 0);

/// Format flentro-proof: the worst view of every spot and of every measure, before and after.
[[nodiscard]] Json toJson(const Proof& proof, const Target& target);

}  // namespace flentro
