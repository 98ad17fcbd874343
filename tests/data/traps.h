// Small scenes as people have them, one trap each, in every format that is read.

#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "geometry/space.h"

namespace flentro::test {

struct Trap {
    std::string file;       ///< The scene's name in the folder.
    std::size_t triangles;  ///< That come across.
    Vec3d size;             ///< Metres, Y up.
    std::string note;       ///< Part of what is told; empty: nothing particular.
};

/// Writes every trap and what it needs into the folder. Each is smaller than 100 KB.
/// The figure comes from the import library's writers, the rest is written by hand.
[[nodiscard]] std::vector<Trap> writeTraps(const std::filesystem::path& folder);

}  // namespace flentro::test
