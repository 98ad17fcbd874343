// Which lights reach which objects.

#pragma once

#include <cstdint>
#include <vector>

#include "scene/scene.h"

namespace flentro {

/// [objects] Placed lights whose range meets the bounds, in their order. Cost: O(objects x lights).
[[nodiscard]] std::vector<std::vector<std::uint32_t>> lightsOnObjects(const Scene& scene);

}  // namespace flentro
