// Small holes in surfaces, closed to a point.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

struct ClosedHoles {
    Mesh mesh;
    std::size_t holes = 0;
    std::size_t triangles = 0;  ///< That shrank to nothing.
};

/// Closes holes of no more than `mostEdges` edges whose outline is no larger than `size` metres,
/// by moving their outline to its middle. Outlines of open sheets and ends of tubes are no holes:
/// the surface must lie around them, not within. Cost: O(V + T log T).
[[nodiscard]] ClosedHoles closeHoles(const Mesh& mesh, double size, std::size_t mostEdges = 12);

}  // namespace flentro
