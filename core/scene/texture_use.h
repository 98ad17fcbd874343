// What a material shows in one of its roles.

#pragma once

#include "scene/scene.h"

namespace flentro {

/// Null where it shows nothing there.
[[nodiscard]] inline const TextureUse* useOf(const Material& material, std::string_view role) {
    for (const TextureUse& use : material.textures)
        if (use.role == role) return &use;
    return nullptr;
}

}  // namespace flentro
