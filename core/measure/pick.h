// What lies under a ray.

#pragma once

#include <optional>

#include "measure/viewcost.h"

namespace flentro {

struct Picked {
    std::size_t object = 0;  ///< Index in Scene::objects.
    std::uint32_t level = 0;
    std::size_t triangle = 0;  ///< Of that level, counted over all parts.
    double distance = 0;       ///< Metres along the ray.
    Vec3d point = Vec3d::Zero();
};

/// The nearest triangle of the drawn objects that the ray from `origin` along the unit vector
/// `direction` meets, seen from either side. Cost: O(drawn + triangles of the boxes hit).
[[nodiscard]] std::optional<Picked> pick(const Scene& scene, const std::vector<DrawnObject>& drawn,
                                         const Vec3d& origin, const Vec3d& direction);

}  // namespace flentro
