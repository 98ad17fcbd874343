// Triangles cut, or taken apart, where their texture begins anew.

#pragma once

#include <optional>

#include "geometry/mesh.h"

namespace flentro {

/// The part with its triangles cut along whole texture coordinates of TEXCOORD_0. Triangles of
/// different tiles share no vertices; attributes are interpolated, normals and tangents made unit
/// length again. Nothing for parts that bend, that have no such coordinates or odd ones, and where
/// one triangle lies on more than `mostTiles`. Cost: O(tiles of all triangles).
[[nodiscard]] std::optional<Part> cutAtTiles(const Part& part, std::size_t mostTiles = 64);

/// The part with its triangles as they are and vertices of their own for each tile in which
/// triangles have their lowest coordinates: what hangs together reaches over two copies of the
/// texture wherever single triangles are smaller than one. Nothing where cutAtTiles() gives
/// nothing, but for large triangles. Cost: O(T log T).
[[nodiscard]] std::optional<Part> detachAtTiles(const Part& part);

}  // namespace flentro
