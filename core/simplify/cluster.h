// A coarse stand-in in one pass, for display while the camera moves.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

/// Vertex clustering after J. Rossignac, P. Borrel, "Multi-resolution 3D approximations for
/// rendering complex scenes", 1993: vertices of each cell of a `cells`^3 grid over the bounds
/// become the first of them; triangles that collapse are dropped. Quick and rough: nothing but
/// the view uses it. Cost: O(V + T).
[[nodiscard]] Mesh clusterVertices(const Mesh& mesh, int cells);

}  // namespace flentro
