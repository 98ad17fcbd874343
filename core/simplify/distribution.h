// Distributes a number of triangles over several meshes.

#pragma once

#include <span>
#include <vector>

#include "simplify/collapse_log.h"

namespace flentro {

/// How the deviation of one mesh grows as it loses triangles: as CollapseLog::curve(), but in
/// metres of the scene.
using DeviationCurve = std::vector<CurvePoint>;

/// [curves] Triangles of each, no more than `triangles` in all, or the fewest there are: each is
/// reduced until it deviates as much as the others, so that the largest deviation is the least
/// possible. Among equal ones the first keep more. Cost: O(C log P) for C curves of P points.
[[nodiscard]] std::vector<std::size_t> distributeTriangles(std::span<const DeviationCurve> curves,
                                                           std::size_t triangles);

}  // namespace flentro
