// Images, textures and materials of a glTF document.

#pragma once

#include "io/gltf_accessors.h"
#include "scene/scene.h"

namespace flentro {

/// Fills images; missing, forbidden and unreadable ones stay empty and are noted.
void readImages(const Json& document, const GltfAccessors& accessors,
                const std::filesystem::path& folder, Scene& scene);

/// Fills samplers, textures, materials and lights.
void readMaterials(const Json& document, Scene& scene);

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

/// The interpreted members of a glTF material object.
[[nodiscard]] Material parseMaterial(const Json& source);

}  // namespace flentro
