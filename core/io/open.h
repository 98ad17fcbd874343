// Opening a scene of any format that we read.

#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace flentro {

struct OpenOptions {
    /// The program that converts other formats; empty: found beside our own.
    std::filesystem::path importer;
    std::size_t importMemory = std::size_t{6} << 30;  ///< Bytes that it may take.
    std::size_t memory = 0;                           ///< As GltfReadOptions::memory.
    int importSeconds = 300;                          ///< Seconds that it may take.
};

/// glTF by our own reader; everything else that the import library knows in a child process,
/// which may crash or run out of its memory or time without harm.
/// Errors: as readGltf(); Unsupported for unknown endings; Limit and InvalidInput naming the
/// file when the import fails.
[[nodiscard]] Expected<Scene> openScene(const std::filesystem::path& path,
                                        const OpenOptions& options, Progress& progress);

/// Endings that openScene() accepts, with the dot, lower case.
[[nodiscard]] const std::vector<std::string>& readableEndings();

}  // namespace flentro
