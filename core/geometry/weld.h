// Finding equal vertices.

#pragma once

#include <span>

#include "geometry/mesh.h"

namespace flentro {

/// For each position the index of the first one that is equal to the bit (-0 equals +0).
/// Cost: O(V) expected.
[[nodiscard]] std::vector<std::uint32_t> firstEqualPosition(const std::vector<Vec3f>& positions);

/// All parts of a mesh over one list of vertices.
struct WeldedMesh {
    std::vector<Vec3f> points;               ///< [V] of the parts one after the other.
    std::vector<std::uint32_t> firstPoints;  ///< [parts] Where each begins in `points`.
    std::vector<std::uint32_t> same;         ///< [V] The first vertex at the same position.
    std::vector<std::uint32_t> corners;      ///< [3T] of all triangles in their order, such firsts.
};
/// Cost: O(V + T) expected.
[[nodiscard]] WeldedMesh weldPositions(const Mesh& mesh);

/// True if every edge is used as often in each direction, so that nothing is open, and the surface
/// looks outward. `corners` [3T] of `points`, such firsts. Cost: O(T log T).
[[nodiscard]] bool isClosedOutward(const std::vector<Vec3f>& points,
                                   std::span<const std::uint32_t> corners);

/// For each vertex of a part the index of the first one that is equal in every attribute and
/// morph target.
[[nodiscard]] std::vector<std::uint32_t> firstEqualVertex(const Part& part);
/// Of these vertices alone, in rising order; the others are known to have no equal.
[[nodiscard]] std::vector<std::uint32_t> firstEqualVertex(const Part& part,
                                                          std::span<const std::uint32_t> among);

}  // namespace flentro
