// Levels of detail that no view, or hardly any, can show.

#pragma once

#include "budget/target.h"
#include "fixes/evidence.h"

namespace flentro {

/// Takes levels away whose switch distance lies beyond the far plane or the culling distance of
/// every copy; returns how many. Cost: O(objects + levels).
std::size_t dropUnshownLevels(Scene& scene, const Target& target);

/// Takes levels away that are drawn from less than this share of the places that draw their asset
/// at all, the rarest first; the finer one is drawn instead. Returns how many. `kept`: [assets] so
/// many of the last levels stay. Cost: O(levels x objects x places); all cores.
std::size_t dropRareLevels(Scene& scene, const Target& target, const Evidence& evidence,
                           double share, const std::vector<std::size_t>& kept);

/// [assets] Metres at scale 1 from the nearest place that draws a copy; infinity if no place does.
/// Cost: O(objects x places); all cores.
[[nodiscard]] std::vector<double> nearestDrawn(const Scene& scene, const Target& target,
                                               const Evidence& evidence);

}  // namespace flentro
