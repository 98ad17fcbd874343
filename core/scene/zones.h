// Zones: rooms and yards as the artist has marked them, by `extras.zone` of a node.

#pragma once

#include "scene/scene.h"

namespace flentro {

/// [nodes] The zone that a node is in: its own mark or that of the nearest node above it, a text or
/// a number; empty: none. Cost: O(nodes).
[[nodiscard]] std::vector<std::string> zonesOf(const Scene& scene);

}  // namespace flentro
