// Handing a result over: the scene, and a manifest of all distances and levels.

#pragma once

#include <filesystem>
#include <vector>

#include "budget/target.h"
#include "io/gltf.h"
#include "report/stored_textures.h"

namespace flentro {

struct ExportOptions {
    LevelLayout levels = LevelLayout::LodExtension;
    bool dropEmptyNodes = false;  ///< As PruneOptions::emptyNodes.
    bool manifest = true;         ///< Writes "name.manifest.json" beside the scene.
    bool ktx2 = false;            ///< And "name.textures/" with textures as the target stores them.
    TextureStorageSettings storage = {};
};

struct Exported {
    std::size_t bytes = 0;           ///< Of the scene file (and its .bin).
    std::filesystem::path manifest;  ///< Empty without one.
    std::vector<Note> notes;         ///< What had to be left out.
    std::vector<StoredTexture> textures;
};

/// What glTF has no word for: levels with distances, culling distances, sources.
/// Described by docs/formats/manifest.schema.json.
[[nodiscard]] Json makeManifest(const Scene& scene, const Target& target);

/// What an export to `path` may write over: the scene, its manifest, the buffer of a .gltf, and
/// what is in its folder of textures.
[[nodiscard]] std::vector<std::filesystem::path> exportedFiles(const std::filesystem::path& path);

/// What is wrong with exporting to `path`, before any work is done for it. Errors: as
/// exportScene().
[[nodiscard]] Expected<void> checkExport(const Scene& scene, const std::filesystem::path& path);

/// Scene and manifest are replaced together. The manifest names its scene file with its hash, and
/// is never there beside another one: an old manifest goes just before the new files come.
/// Errors: Forbidden when `path` or what is written beside it is a file that the scene was
/// read from; Io; Cancelled.
[[nodiscard]] Expected<Exported> exportScene(const Scene& scene, const Target& target,
                                             const std::filesystem::path& path,
                                             const ExportOptions& options, Progress& progress);

}  // namespace flentro
