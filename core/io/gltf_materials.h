// Images, textures and materials of a glTF document.

#pragma once

#include "io/gltf_accessors.h"
#include "scene/references.h"

namespace flentro {

/// Fills images; missing, forbidden and unreadable ones stay empty and are noted.
void readImages(const Json& document, const GltfAccessors& accessors,
                const std::filesystem::path& folder, Scene& scene);

/// Fills samplers, textures, materials and lights.
void readMaterials(const Json& document, Scene& scene);

/// The interpreted members of a glTF material object.
[[nodiscard]] Material parseMaterial(const Json& source);

}  // namespace flentro
