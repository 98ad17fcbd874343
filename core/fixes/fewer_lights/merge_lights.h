// Like lights that stand close become one of their summed power.

#pragma once

#include "survey/light_matrix.h"

namespace flentro {

struct MergedLights {
    Scene scene;
    std::size_t lights = 0;    ///< That became fewer.
    std::size_t into = 0;      ///< That they became.
    std::size_t rejected = 0;  ///< Groups whose light would have changed too much.
};

/// Point lights of about one colour, none of them moving, at most `within` metres from the
/// strongest of them; a group stays as it is where a view would change by more than `maxChange`.
[[nodiscard]] MergedLights mergeLights(const Scene& scene, const LightMatrix& matrix, double within,
                                       double maxChange);

/// Takes placed lights out; their nodes stay. [placed lights]
void removeLights(Scene& scene, const std::vector<bool>& gone);

}  // namespace flentro
