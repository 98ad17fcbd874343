// Faces inside solids that touch.

#pragma once

#include <vector>

#include "geometry/weld.h"

namespace flentro {

/// [T] True for triangles that others of the mesh cover from the front: those lie in the same plane
/// and face the other way, and what is just before them lies inside of a closed piece, so that no
/// eye outside gets there. Faces of sheets of two layers do not count, nor triangles of which less
/// than 99 % is covered. `isSolid`: [T] false for triangles that are left out, of glass and the
/// like. The tolerance for planes is 1e-5 of the mesh's size. Cost: O(T log T), and the pairs in
/// one plane that overlap along its longer axis.
[[nodiscard]] std::vector<bool> coveredFaces(const WeldedMesh& mesh,
                                             const std::vector<bool>& isSolid);

}  // namespace flentro
