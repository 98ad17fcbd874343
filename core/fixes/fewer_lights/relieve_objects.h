// No object is lit by more lights than a renderer takes for one.

#pragma once

#include "survey/light_matrix.h"

namespace flentro {

struct ObjectRelief {
    std::size_t before = 0;  ///< Objects that more lights than `limit` reach.
    std::size_t after = 0;
    std::size_t most = 0;       ///< Lights on one object, after.
    std::size_t shortened = 0;  ///< Lights whose range ends before such objects now.
};

/// Ends the range of lights before objects that more than `limit` lights reach, those first that
/// are weakest there, as far as no view changes by more than `maxChange`. At least half of a range
/// is kept; lights that move or have no range keep all of it; without a matrix (null) all do.
/// Cost: O(objects x lights + entries of the matrix).
ObjectRelief relieveObjects(Scene& scene, const LightMatrix* matrix, std::size_t limit,
                            double maxChange);

}  // namespace flentro
