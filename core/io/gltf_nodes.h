// The node hierarchy of a glTF document: nodes, scenes, cameras, skins and animations.

#pragma once

#include "io/gltf_accessors.h"
#include "scene/scene.h"

namespace flentro {

/// Errors: a node with two parents or that is its own ancestor, naming it.
[[nodiscard]] Expected<void> readNodes(const Json& document, GltfAccessors& accessors,
                                       Scene& scene);

/// Fills objects and lights from the nodes; objects whose transform is not finite are left out,
/// and that is noted. Errors: Limit for more copies than there is memory for.
[[nodiscard]] Expected<void> placeObjects(Scene& scene, MemoryBudget& memory);

}  // namespace flentro
