// The one place where indices of nodes, materials, textures and images follow what they name
// when a scene's lists change.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Where the elements of each list are now: -1 for those that are gone; an empty list has not
/// changed.
struct IndexMoves {
    std::vector<int> nodes = {};
    std::vector<int> materials = {};
    std::vector<int> textures = {};
    std::vector<int> images = {};
    std::vector<int> samplers = {};
    std::vector<int> skins = {};
};

/// Rewrites every index into the moved lists: of nodes, scenes, skins, animations (also by
/// KHR_animation_pointer), objects, lights, parts of meshes (also KHR_materials_variants),
/// materials and textures. What refers to something that is gone goes with it. Extensions that we
/// do not know and that may hold indices are left out and told in `notes`.
/// Cost: O(nodes + objects + JSON of the scene).
void moveReferences(Scene& scene, const IndexMoves& moves);

/// True if an extension of the document, a scene or a node that we do not know holds whole numbers
/// or pointers: they may be indices.
[[nodiscard]] bool hasUnknownReferences(const Scene& scene);

/// The node that an animation channel moves, by its target or by KHR_animation_pointer; -1: none.
[[nodiscard]] int animatedNode(const Json& channel);

/// [materials] True where an animation changes a material, by KHR_animation_pointer.
[[nodiscard]] std::vector<bool> animatedMaterials(const Scene& scene);

/// Calls visit(role, object) for every member of a material that is named "...Texture" and holds
/// an index, also inside extensions, in their order.
template <typename JsonObject, typename Visit>
void forEachTexture(JsonObject& material, const Visit& visit) {
    if (!material.is_object()) return;
    for (auto& [key, member] : material.items()) {
        if (!member.is_object()) continue;
        if (key.ends_with("Texture") && member.contains("index"))
            visit(key, member);
        else
            forEachTexture(member, visit);
    }
}

}  // namespace flentro
