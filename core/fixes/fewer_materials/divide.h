// Objects with more materials than they may have, divided into several that stand together.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

struct Division {
    std::size_t assets = 0;            ///< That were divided.
    std::size_t objects = 0;           ///< More than before.
    std::vector<std::size_t> refused;  ///< Assets that stay whole.
};

/// Objects of each of `assets` (of more than `limit` materials, at least 1) become as few as
/// show no more than `limit` each: what is large stays together, so does what is small, which can
/// be culled earlier. No vertex changes. Assets that bend, that have levels, or that are to be
/// kept stay whole. Cost: O(objects + nodes + parts of the assets).
[[nodiscard]] Division divideByMaterials(Scene& scene, const std::vector<std::size_t>& assets,
                                         std::size_t limit);

}  // namespace flentro
