// Textures as a target stores them: KTX 2.0 files beside an exported scene.

#pragma once

#include "base/progress.h"
#include "budget/target.h"
#include "io/file.h"
#include "scene/scene.h"

namespace flentro {

struct TextureStorageSettings {
    double minDecibels = 36;  ///< Of colours and numbers; see StorageLoss.
    double maxDegrees = 3;    ///< Of normals.
};

/// One image as it is stored.
struct StoredTexture {
    std::string image;
    std::string file;    ///< Relative to the scene's folder.
    std::string format;  ///< "bc5"
    std::string use;     ///< Key of its TextureClass.
    int width = 0, height = 0;
    std::size_t levels = 0;
    std::size_t fileBytes = 0;
    std::size_t memory = 0;  ///< Bytes of all levels, unpacked.
    double decibels = 0;     ///< Of the largest level; 0: no loss.
    double degrees = 0;      ///< Of normals.
    bool isWithin = true;    ///< The loss that was asked for is kept.
};

/// "NAME.textures" beside the scene.
[[nodiscard]] std::filesystem::path texturesFolder(const std::filesystem::path& scenePath);

/// Adds "NAME.textures/IMAGE.ktx2" to `files` for each image that materials read: mip maps made as
/// its class asks for, in the smallest of the formats that the target's table names (its family of
/// block compressions) that keeps the stated loss; if none does, in the best. What cannot be
/// decoded is left out. Errors: Io, Cancelled. Cost: each image is encoded a few times, on all
/// cores.
[[nodiscard]] Expected<std::vector<StoredTexture>> storeTextures(
    const Scene& scene, const Target& target, const std::filesystem::path& scenePath,
    const TextureStorageSettings& settings, Progress& progress, FileSet& files);

[[nodiscard]] Json toJson(const StoredTexture& texture);

}  // namespace flentro
