// Triangles of polygons with very many corners.

#pragma once

#include <array>
#include <span>
#include <vector>

#include "geometry/space.h"

namespace flentro {

/// Triangles of a simple polygon, which may be concave, as indices of its corners: two fewer than
/// there are corners, running its way. Corners in a plane, more or less: they are looked at along
/// the polygon's normal (M. Newell). What crosses itself is triangulated somehow.
///
/// Ear clipping; a uniform grid of the reflex corners finds those inside a candidate triangle.
/// Cost: O(n) typically.
[[nodiscard]] std::vector<std::array<std::uint32_t, 3>> triangulate(std::span<const Vec3d> corners);

}  // namespace flentro
