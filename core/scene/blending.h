// What is drawn with what lies behind it showing through.

#pragma once

#include <algorithm>

#include "base/index.h"
#include "scene/scene.h"

namespace flentro {

[[nodiscard]] inline bool isBlended(const Scene& scene, const Part& part) {
    return part.material >= 0 &&
           elementOf(scene.materials, part.material).alphaMode == AlphaMode::Blend;
}

/// True if all of it is.
[[nodiscard]] inline bool isTransparent(const Scene& scene, const Mesh& mesh) {
    return !mesh.parts.empty() &&
           std::all_of(mesh.parts.begin(), mesh.parts.end(),
                       [&](const Part& part) { return isBlended(scene, part); });
}

}  // namespace flentro
