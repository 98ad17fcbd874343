// Levels that share one vertex buffer.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

/// One level as indices into the vertices of the top mesh's parts. [parts][3T]
using LevelIndices = std::vector<std::vector<std::uint32_t>>;

/// The top mesh's own indices.
[[nodiscard]] LevelIndices topIndices(const Mesh& top);

/// Meshes for `levels` (the first is the top itself, each later one uses vertices of the one
/// before) with the vertices in progressive order: those that live longest come first, so that
/// the streams of every level are the beginning of the top's. Parts that a level lacks are left
/// out. Cost: O(levels x (V + T)).
[[nodiscard]] std::vector<Mesh> shareVertices(const Mesh& top,
                                              const std::vector<LevelIndices>& levels);

}  // namespace flentro
