// Finding equal vertices.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

/// For each position the index of the first one that is equal to the bit (-0 equals +0).
/// Cost: O(V) expected.
[[nodiscard]] std::vector<std::uint32_t> firstEqualPosition(const std::vector<Vec3f>& positions);

/// For each vertex of a part the index of the first one that is equal in every attribute and
/// morph target.
[[nodiscard]] std::vector<std::uint32_t> firstEqualVertex(const Part& part);

}  // namespace flentro
