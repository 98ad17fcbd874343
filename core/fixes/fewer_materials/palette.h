// Materials that differ by numbers alone read them from a common image.

#pragma once

#include "scene/scene.h"

namespace flentro {

/// All of a material but its name and the numbers that a palette holds: colour, roughness,
/// metalness, glow.
[[nodiscard]] std::string materialKind(const Material& material);

struct PaletteResult {
    std::size_t palettes = 0;
    std::size_t colours = 0;
    /// [materials before] Where each reads now; -1: as before.
    std::vector<int> materials;
    std::vector<Vec2f> coords;  ///< [materials before] Texture coordinates of its colour.
};

/// Adds palettes to the scene: images, textures and materials behind those that there are; no mesh
/// changes yet. Without `wholeScene` only for materials that share a mesh with another of theirs.
/// `fixed` [materials]: those that stay.
[[nodiscard]] PaletteResult addPalettes(Scene& scene, bool wholeScene,
                                        const std::vector<bool>& fixed);

}  // namespace flentro
