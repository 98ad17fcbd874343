// Copies of one mesh as instances of one node.

#pragma once

#include "scene/scene.h"

namespace flentro {

struct NodeSharing {
    std::size_t objects = 0;  ///< That moved.
    std::size_t nodes = 0;    ///< That hold them now.
    /// Copies that stay on nodes of their own: those move, bend or hold other things, or the copies
    /// are mirrored or sheared.
    std::size_t kept = 0;
};

/// Objects that show one asset, stand still and are treated alike (shadow, stand-in) become
/// instances of one node at their middle (EXT_mesh_gpu_instancing); the objects keep their order,
/// names and origins. Culling and shadow distances on one node, which are those of its
/// last object then, differ by the factor `reach` at most. Where `cell` is not 0, objects share a
/// node within cells of so many metres only. Not moved: nodes with other uses (children, skins,
/// lights, animations, extras of their own), mirrored and sheared copies, what is instanced
/// already, and what has no like. Transforms are stored in single precision around that middle.
/// Cost: O(n log n) in objects and nodes, for few groups by distance.
NodeSharing shareNodes(Scene& scene, double cell = 0, double reach = 1);

}  // namespace flentro
