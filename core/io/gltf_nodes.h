// The node hierarchy of a glTF document: nodes, scenes, cameras, skins and animations.

#pragma once

#include "io/gltf_accessors.h"
#include "scene/scene.h"

namespace flentro {

/// Errors: a node with two parents or that is its own ancestor, naming it.
[[nodiscard]] Expected<void> readNodes(const Json& document, GltfAccessors& accessors,
                                       Scene& scene);

/// Leaves out objects whose transform is not finite or whose mesh has no vertices, and notes it.
void dropUnplaceable(Scene& scene);

}  // namespace flentro
