// glTF 2.0 (Khronos / ISO 12113) in and out.

#pragma once

#include <filesystem>

#include "base/error.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace flentro {

/// Reads .gltf and .glb. Extensions interpreted: KHR_lights_punctual, KHR_mesh_quantization,
/// KHR_draco_mesh_compression, KHR_materials_unlit, KHR_materials_emissive_strength,
/// EXT_mesh_gpu_instancing, MSFT_lod; all others are kept verbatim unless they refer to binary
/// data that we do not know. Reads nothing outside `path`'s folder. `folder`, if given, is where
/// relative paths start instead.
///
/// What is unsound but can be repaired or left out is told in Scene::notes. Errors name file
/// and object: truncated or mis-measured data, cyclic nodes, unknown required extensions.
///
/// Cost: about that of reading the file and copying its streams once; both cores.
[[nodiscard]] Expected<Scene> readGltf(const std::filesystem::path& path, Progress& progress,
                                       const std::filesystem::path& folder = {});

enum class LevelLayout {
    LodExtension,  ///< MSFT_lod on every node that has levels.
    NamedNodes,    ///< Every level as a node of its own, "name_LOD1" beside "name".
    TopOnly,       ///< Level 0 alone.
};

struct GltfWriteOptions {
    LevelLayout levels = LevelLayout::LodExtension;
    /// Pixels of field of view, for the screen coverage that MSFT_lod stores; degrees.
    double verticalFov = 60;
    /// Images without data are written by their path instead of being left out.
    bool keepImagePaths = false;
};

/// Writes .glb, or .gltf with one .bin beside it, atomically. Equal streams and images are
/// stored once. Culling distances go into node extras ("flentro").
/// Errors: Io, Cancelled; Limit when a .glb would exceed 4 GiB.
[[nodiscard]] Expected<void> writeGltf(const Scene& scene, const std::filesystem::path& path,
                                       const GltfWriteOptions& options, Progress& progress);

}  // namespace flentro
