// Triangles of a scene where its objects place them.

#pragma once

#include <array>
#include <vector>

#include "scene/scene.h"

namespace flentro {

struct PlacedTriangle {
    std::array<Vec3d, 3> corners;
    Vec3d middle;
    Vec3d normal;  ///< Unit length.
    double area = 0;
};

/// An even sample of about `most` of all placed triangles; those without area are left out.
/// Cost: O(vertices + objects).
[[nodiscard]] std::vector<PlacedTriangle> samplePlacedTriangles(const Scene& scene,
                                                                std::size_t most);

}  // namespace flentro
