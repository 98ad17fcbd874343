// Files, read whole and written atomically.

#pragma once

#include <cstddef>
#include <filesystem>
#include <functional>
#include <span>
#include <string_view>
#include <vector>

#include "base/error.h"

namespace flentro {

using Bytes = std::vector<std::byte>;

/// Errors: NotFound, Io; Limit above `maxBytes` (0: no limit).
[[nodiscard]] Expected<Bytes> readFile(const std::filesystem::path& path, std::size_t maxBytes = 0);
[[nodiscard]] Expected<std::string> readTextFile(const std::filesystem::path& path);

/// Writes beside `path` into a temporary file, syncs it and renames it: either the whole new
/// content is there afterwards, or the old file is untouched.
[[nodiscard]] Expected<void> writeFileAtomic(const std::filesystem::path& path,
                                             std::span<const std::byte> data);
[[nodiscard]] Expected<void> writeFileAtomic(const std::filesystem::path& path,
                                             std::string_view text);

/// The file that a URI of a scene in `folder` names. Percent escapes are decoded.
/// Errors: Forbidden for absolute paths, schemes, and paths that lead outside `folder`, also
/// through symbolic links.
[[nodiscard]] Expected<std::filesystem::path> resolveInside(const std::filesystem::path& folder,
                                                            const std::string& uri);

/// Content of a "data:...;base64," URI. Errors: InvalidInput.
[[nodiscard]] Expected<Bytes> decodeDataUri(std::string_view uri);

}  // namespace flentro
