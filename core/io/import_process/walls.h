// Restrictions of the import process, by the kernel.

#pragma once

#include <filesystem>
#include <string>

namespace flentro {

/// Restrictions that are in force.
struct Walls {
    bool files = false;  ///< Landlock: only the named folders.
    bool calls = false;  ///< seccomp: no network, no other program or process.
};

struct WallSettings {
    std::filesystem::path scene;    ///< It and its folder are read.
    std::filesystem::path results;  ///< The folder that is written.
};

/// Raises them around this process for good; what the kernel lacks is left out. To be called before
/// the first byte of a stranger's file is read. Sanitizers need more than is left: with them there
/// are no walls.
[[nodiscard]] Walls raiseWalls(const WallSettings& settings);

/// "files: Landlock 4; calls: seccomp", or what is missing.
[[nodiscard]] std::string describeWalls();

}  // namespace flentro
