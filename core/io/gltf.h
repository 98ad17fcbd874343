// glTF 2.0 (Khronos / ISO 12113) in and out.

#pragma once

#include <filesystem>

#include "base/error.h"
#include "base/progress.h"
#include "io/file.h"
#include "scene/scene.h"

namespace flentro {

struct GltfReadOptions {
    std::filesystem::path folder;  ///< Where relative paths start; empty: the file's own folder.
    std::size_t memory = 0;        ///< Bytes that the scene may take; 0: half of the machine's.
};

/// Reads .gltf and .glb. Extensions interpreted: KHR_lights_punctual, KHR_mesh_quantization,
/// KHR_draco_mesh_compression, EXT_meshopt_compression, KHR_materials_unlit,
/// KHR_materials_emissive_strength, EXT_mesh_gpu_instancing, MSFT_lod; all others are kept verbatim
/// unless they refer to binary data that we do not know. Reads nothing outside the folder.
///
/// What is unsound but can be repaired or left out is told in Scene::notes. Errors name file
/// and object: truncated or mis-measured data, dangling indices, cyclic nodes, unknown required
/// extensions; Limit for more memory than a scene may take, counted before it is taken.
///
/// Cost: about that of reading the file and copying its streams once; all cores.
[[nodiscard]] Expected<Scene> readGltf(const std::filesystem::path& path, Progress& progress,
                                       const GltfReadOptions& options = {});

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

/// What writeGltf() has added to a FileSet.
struct GltfFiles {
    std::size_t bytes = 0;                         ///< Of all of them.
    Hash hash;                                     ///< Of the .glb or .gltf file.
    std::vector<std::filesystem::path> abandoned;  ///< Buffers of an older export, now unused.
};

/// Adds .glb, or .gltf with one buffer beside it, to `files`. Equal streams and images are
/// stored once. Culling distances go into node extras ("flentro"). The buffer is "NAME.bin", or
/// "NAME-HASH.bin" where another is there, so that the old document keeps its own until then.
/// Errors: Io, Cancelled; Limit when a .glb would exceed 4 GiB.
[[nodiscard]] Expected<GltfFiles> writeGltf(const Scene& scene, const std::filesystem::path& path,
                                            const GltfWriteOptions& options, Progress& progress,
                                            FileSet& files);

/// The same, committed at once.
[[nodiscard]] Expected<void> writeGltf(const Scene& scene, const std::filesystem::path& path,
                                       const GltfWriteOptions& options, Progress& progress);

}  // namespace flentro
