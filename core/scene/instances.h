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

/// Static objects of one asset with equal shadow and stand-in settings become instances of one node
/// at their centre (EXT_mesh_gpu_instancing); the objects keep their order, names and origins.
/// Culling and shadow distances on one node differ by the factor `reach` at most, and become those
/// of its last object. With `cell` > 0 only objects in one cell of that many metres share a node.
/// Not moved: nodes with other uses (children, skins, lights, animations, extras of their own),
/// mirrored and sheared copies, existing instances, and single objects. Transforms are stored in
/// single precision relative to the centre.
/// Cost: O(n log n) in objects and nodes, for few groups by distance.
NodeSharing shareNodes(Scene& scene, double cell = 0, double reach = 1);

}  // namespace flentro
