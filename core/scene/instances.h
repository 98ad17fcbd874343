// Copies of one mesh as instances of one node.

#pragma once

#include "scene/scene.h"

namespace flentro {

/// True if copies of the object can be drawn by one call where a target instances: no bones bend
/// it. What is counted as one call and what is written as instances both go by it.
[[nodiscard]] bool canBeInstance(const Scene& scene, const Object& object);

/// Objects that show one asset, stand still and are treated alike (culling, shadow, stand-in)
/// become instances of one node, which stands in their middle (EXT_mesh_gpu_instancing); the
/// objects keep their order, names and origins. Left alone: nodes with other duties (children,
/// skins, lights, animations, extras of their own), mirrored and sheared copies, what is instanced
/// already, and what has no like. Transforms are stored in single precision around that middle.
/// Returns how many objects moved. Cost: O(n log n) in objects and nodes.
std::size_t shareNodes(Scene& scene);

}  // namespace flentro
