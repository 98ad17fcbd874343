// Triangles of one object that lie exactly on those of another.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

struct Coincidence {
    std::uint32_t object = 0;   ///< Of which the larger share lies on the other.
    std::uint32_t other = 0;    ///< In Scene::objects, as `object`.
    std::size_t triangles = 0;  ///< Of `object`, level 0.
};

/// All pairs of objects with triangles at one place, whichever way they face, by object. Blended
/// surfaces, bones, morph targets and far stand-ins are left out. Corners are at one place within
/// 1e-5 m and the rounding of single floats there. Cost: O(T) expected for the T placed
/// triangles in boxes that overlap, on all cores; memory for about 300,000 of them a
/// core.
[[nodiscard]] std::vector<Coincidence> coincidentTriangles(const Scene& scene);

}  // namespace flentro
