// How a thing looks with a plainer material, where it is seen largest.

#pragma once

#include "budget/target.h"
#include "picture/picture_error.h"
#include "scene/scene.h"

namespace flentro {

struct MaterialLook {
    DisplayPicture before, after;
    double change = 0;  ///< Mean FLIP error over the pixels of the object, 0 to 1.
};

/// One object with `plainer` in place of `material`: drawn alone from above one side, `edge` pixels
/// large on the target's display and lit as it is in the scene, but without shadows. Cost: O(T log
/// T) of the object's mesh and a ray a pixel.
[[nodiscard]] MaterialLook materialLook(const Scene& scene, std::size_t object,
                                        std::size_t material, const Material& plainer, double edge,
                                        const Target& target);

}  // namespace flentro
