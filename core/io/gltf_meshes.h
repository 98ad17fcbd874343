// The geometry of a glTF document.

#pragma once

#include "io/gltf_accessors.h"
#include "scene/scene.h"

namespace flentro {

/// Fills `scene.assets` and adds notes on what was repaired or left out.
[[nodiscard]] Expected<void> readMeshes(const Json& document, GltfAccessors& accessors,
                                        Scene& scene, Progress& progress);

/// The object without the members `keys`, and without the extensions `extensions`.
[[nodiscard]] Json without(const Json& object, const std::vector<const char*>& keys,
                           const std::vector<const char*>& extensions = {});

}  // namespace flentro
