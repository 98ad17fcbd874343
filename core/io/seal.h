// Files that only this user's Flentro has written: caches that lie beside a stranger's scene.

#pragma once

#include <filesystem>

#include "io/file.h"

namespace flentro {

/// Writes the content with a keyed hash (BLAKE2b of libsodium) at its end. The key is random, made
/// when it is first needed and kept for this user alone, in $XDG_DATA_HOME/flentro or
/// ~/.local/share/flentro; where it cannot be kept it ends with the process. Atomic. Errors: Io.
[[nodiscard]] Expected<void> writeSealed(const std::filesystem::path& path,
                                         std::span<const std::byte> content);

/// The content of such a file. Errors: as readFile(); Forbidden for what this user's Flentro has
/// not written, or what was changed since.
[[nodiscard]] Expected<Bytes> readSealed(const std::filesystem::path& path);

}  // namespace flentro
