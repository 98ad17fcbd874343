// Textures whose coordinates a part does not have.

#pragma once

#include "scene/scene.h"

namespace flentro {

struct TextureSetRepair {
    std::size_t rebound = 0;  ///< Parts whose textures use another set now.
    std::size_t dropped = 0;  ///< Parts without any coordinates: their textures are left out.
};

/// Gives each part a material whose textures use sets of coordinates that the part has: the one
/// they name, or else the last before it that is there, or the first. Without any, that texture is
/// left out. Materials that other parts show otherwise are divided; new ones come last.
/// Cost: O(parts) where nothing is amiss.
TextureSetRepair bindPresentSets(Scene& scene);

}  // namespace flentro
