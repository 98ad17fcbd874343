// What is drawn with what lies behind it showing through.

#pragma once

#include "scene/scene.h"

namespace flentro {

[[nodiscard]] inline bool isBlended(const Scene& scene, const Part& part) {
    return part.material >= 0 &&
           scene.materials[static_cast<std::size_t>(part.material)].alphaMode == AlphaMode::Blend;
}

}  // namespace flentro
