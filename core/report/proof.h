// Before and after at the same places and headings.

#pragma once

#include <array>

#include "fixes/evidence.h"

namespace flentro {

/// The worst of one place's views, of one scene.
struct WorstLoad {
    double load = 0;
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

/// Counts all views of the places in both scenes. Cost: as two surveys without rays; all cores.
[[nodiscard]] Proof prove(const Scene& before, const Scene& after, const Target& target,
                          const std::vector<Evidence::Place>& places);

/// Format flentro-proof: the worst view of every spot and of every measure, before and after.
[[nodiscard]] Json toJson(const Proof& proof, const Target& target);

}  // namespace flentro
