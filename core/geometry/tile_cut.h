// Triangles cut where their texture begins anew, so that each lies on one copy of it.

#pragma once

#include <optional>

#include "geometry/mesh.h"

namespace flentro {

/// The part with its triangles cut along whole texture coordinates of TEXCOORD_0. Triangles of
/// different tiles share no vertices; attributes are interpolated, normals and tangents made unit
/// length again. Nothing for parts that bend, that have no such coordinates or odd ones, and where
/// one triangle lies on more than `mostTiles`. Cost: O(tiles of all triangles).
[[nodiscard]] std::optional<Part> cutAtTiles(const Part& part, std::size_t mostTiles = 64);

}  // namespace flentro
