// Opening a scene of any format that we read.

#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "io/import_settings.h"
#include "scene/scene.h"

namespace flentro {

struct OpenOptions {
    /// The program that converts other formats; empty: found beside our own.
    std::filesystem::path importer;
    std::size_t importMemory = std::size_t{6} << 30;  ///< Bytes that it may take.
    std::size_t memory = 0;                           ///< As GltfReadOptions::memory.
    int importSeconds = 300;                          ///< Of processor time that it may take.
    ImportSettings settings;
};

/// What keeps the child process from the user's files and the network here, or is missing.
[[nodiscard]] std::string describeImporter(const OpenOptions& options = {});

/// glTF 2.0 by our own reader; everything else of sceneFormats() in a child process, which may
/// crash or run out of its memory or time without harm. What the file begins with counts before
/// its ending. The result is in metres with Y up: by the settings, else by what the file says,
/// else by a guess, which is told in `notes` and `sourceUnits`.
/// Errors: as readGltf(); Unsupported for unknown formats; NotFound for an unknown variant; Limit
/// and InvalidInput naming the file when the import fails.
[[nodiscard]] Expected<Scene> openScene(const std::filesystem::path& path,
                                        const OpenOptions& options, Progress& progress);

}  // namespace flentro
