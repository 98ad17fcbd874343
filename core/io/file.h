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

/// Only regular files are read: a pipe or device is refused without waiting for it.
/// Errors: NotFound, Io; Limit above `maxBytes` (0: no limit).
[[nodiscard]] Expected<Bytes> readFile(const std::filesystem::path& path, std::size_t maxBytes = 0);
[[nodiscard]] Expected<std::string> readTextFile(const std::filesystem::path& path);
/// Returns the first `bytes` bytes of a file, or all if it is shorter; empty if it cannot be read.
[[nodiscard]] std::string readBeginning(const std::filesystem::path& path, std::size_t bytes);

/// Files that are replaced together: all of them are written and synced beside their places
/// before the first is renamed, so that whatever fails leaves the old ones as they were.
///
/// Modes of existing files are kept, new files follow the umask, symbolic links are followed.
/// Temporaries are named "NAME.flentro-PID-N.tmp"; those of processes that are gone are swept.
class FileSet {
public:
    FileSet() = default;
    ~FileSet();
    FileSet(const FileSet&) = delete;
    FileSet& operator=(const FileSet&) = delete;

    /// Writes the new content of `path` into a synced temporary. Errors: Io.
    [[nodiscard]] Expected<void> add(const std::filesystem::path& path,
                                     std::span<const std::byte> data);
    [[nodiscard]] Expected<void> add(const std::filesystem::path& path, std::string_view text);

    /// Renames the temporaries in the order in which they were added. A kill in between leaves
    /// the later ones old: add what refers to others behind them. Errors: Io.
    [[nodiscard]] Expected<void> commit();

private:
    struct Entry {
        std::filesystem::path path;  ///< Symbolic links resolved.
        std::filesystem::path temporary;
    };
    std::vector<Entry> entries_;
};

/// A FileSet of one file.
[[nodiscard]] Expected<void> writeFileAtomic(const std::filesystem::path& path,
                                             std::span<const std::byte> data);
[[nodiscard]] Expected<void> writeFileAtomic(const std::filesystem::path& path,
                                             std::string_view text);

/// Tells whether `path` can be written, before work is done for it. Leaves nothing behind.
/// Errors: Io, NotFound for a missing folder.
[[nodiscard]] Expected<void> checkWritable(const std::filesystem::path& path);

/// True if two names lead to one file, also through links, and where it is not there yet.
[[nodiscard]] bool isSameFile(const std::filesystem::path& a, const std::filesystem::path& b);

/// Makes a folder and those above it, where they are missing. Errors: Io.
[[nodiscard]] Expected<void> makeFolder(const std::filesystem::path& folder);

/// True for paths below a folder; both without links, as weakly_canonical() gives them.
[[nodiscard]] bool isInside(const std::filesystem::path& folder, const std::filesystem::path& path);

/// The file that a URI of a scene in `folder` names. Percent escapes are decoded.
/// Errors: Forbidden for absolute paths, schemes, and paths that lead outside `folder`, also
/// through symbolic links.
[[nodiscard]] Expected<std::filesystem::path> resolveInside(const std::filesystem::path& folder,
                                                            const std::string& uri);

/// A relative path as a URI: all but unreserved characters and / are escaped (RFC 3986, 2.3).
[[nodiscard]] std::string encodeUri(std::string_view name);

/// True for "data:" URIs; schemes have no case (RFC 3986, 3.1).
[[nodiscard]] bool isDataUri(std::string_view uri);

/// Content of a "data:...;base64," URI. Errors: InvalidInput.
[[nodiscard]] Expected<Bytes> decodeDataUri(std::string_view uri);

}  // namespace flentro
