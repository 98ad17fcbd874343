// From the import library's scene to ours.

#pragma once

#include <assimp/scene.h>

#include <filesystem>

#include "geometry/crease.h"
#include "scene/scene.h"

namespace flentro {

struct ConvertOptions {
    std::filesystem::path folder;       ///< Where the images are looked for, and nowhere else.
    double creaseAngle = kCreaseAngle;  ///< Degrees, as smoothByCrease().
    bool hasNormals = true;             ///< False: those of the format are of faces.
};

/// Nodes, meshes with skins and morph targets, materials, images, lights, cameras and
/// animations. Materials that are equal in value become one. What glTF has no place for, what was
/// guessed and what was left out is told in Scene::notes.
[[nodiscard]] Scene convert(const aiScene& source, const ConvertOptions& options);

}  // namespace flentro
