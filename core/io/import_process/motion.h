// Animations, cameras and lights of the import library as glTF's.

#pragma once

#include <assimp/scene.h>

#include <set>
#include <string>

#include "names.h"
#include "scene/scene.h"

namespace flentro {

/// Names of the nodes that animations move: glTF asks for translation, rotation and scale of
/// these instead of a matrix.
[[nodiscard]] std::set<std::string> animatedNodes(const aiScene& source);

/// "translation", "rotation" and "scale" of a transform.
[[nodiscard]] Json toComponents(const aiMatrix4x4& transform);

/// Adds every animation. Samples are joined by straight lines.
void addAnimations(const aiScene& source, const NodeIndex& nodes, Scene& scene);

/// Adds cameras as children of the nodes of their names.
void addCameras(const aiScene& source, const NodeIndex& nodes, Scene& scene);

/// Adds point, spot and directional lights likewise. Formats before physical lights give colours
/// and three factors of attenuation: brightness is matched at a tenth of `size`, the length of
/// the scene, and told as a guess. Ambient and area lights are told and left out.
void addLights(const aiScene& source, const NodeIndex& nodes, double size, Scene& scene);

}  // namespace flentro
