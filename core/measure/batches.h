// Objects that share draw calls.

#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "measure/viewcost.h"

namespace flentro {

/// [objects] A number for each: objects with one number share one mesh, and one call draws a part
/// of all those of them that show one level. What bones bend shares with nothing. Cost: O(objects).
[[nodiscard]] std::vector<std::uint32_t> batchesOf(const Scene& scene, Batching batching);

/// [drawn] Draw calls of one pass over a view, each shared evenly by the objects that it draws.
[[nodiscard]] std::vector<double> sharedCalls(const Scene& scene,
                                              std::span<const DrawnObject> drawn,
                                              std::span<const std::uint32_t> batches);

}  // namespace flentro
