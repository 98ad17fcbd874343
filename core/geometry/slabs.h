// Slabs of space with about as much in each, for work that would take too much memory at once.

#pragma once

#include <utility>
#include <vector>

namespace flentro {

/// Bounds of slabs along an axis, rising, from minus to plus infinity: things begin a new one when
/// those before have filled theirs with `each`. `things`: where they are, and what they weigh.
/// Cost: O(n log n).
[[nodiscard]] std::vector<double> slabBounds(std::vector<std::pair<double, double>> things,
                                             double each);

}  // namespace flentro
