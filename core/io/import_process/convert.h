// From the import library's scene to ours.

#pragma once

#include <assimp/scene.h>

#include "scene/scene.h"

namespace flentro {

/// Materials that are equal in value become one. Meshes, nodes, materials and the paths of
/// textures are taken; cameras, lights and animations of these formats are not.
[[nodiscard]] Scene convert(const aiScene& source);

}  // namespace flentro
