// Who uses what in a scene, the other way round.

#pragma once

#include "scene/scene.h"

namespace flentro {

struct SceneIndex {
    /// A material's use of an image.
    struct ImageUse {
        std::uint32_t material = 0;
        std::uint32_t use = 0;  ///< In Material::textures.
    };
    std::vector<std::vector<std::uint32_t>> objectsOf;  ///< [assets]
    std::vector<std::vector<ImageUse>> usesOf;          ///< [images]
    std::vector<std::vector<std::uint32_t>> assetsOf;   ///< [materials] With level 0 or lower.
    std::vector<std::vector<std::uint32_t>> imagesOf;   ///< [materials] Each once.
    std::vector<bool> isMoving;                         ///< [nodes] An animation moves it.

    /// Cost: O(objects + parts + textures of materials + nodes).
    explicit SceneIndex(const Scene& scene);

    /// True if a placed asset shows a material.
    [[nodiscard]] bool isShown(std::uint32_t material) const {
        for (const std::uint32_t asset : assetsOf[material])
            if (!objectsOf[asset].empty()) return true;
        return false;
    }
};

}  // namespace flentro
