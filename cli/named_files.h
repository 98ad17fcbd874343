// The files that a command line names: nothing is written that is read, and nothing twice.

#pragma once

#include <filesystem>
#include <functional>
#include <span>
#include <string>
#include <vector>

#include "base/error.h"

namespace flentro::cli {

class NamedFiles {
public:
    using Paths = std::vector<std::filesystem::path>;
    /// All that is written for one name.
    using Expand = std::function<Paths(const std::filesystem::path&)>;

    /// Stores references: values may be set later and must outlive this. Empty values and "-" are
    /// not files. Messages name the option.
    void reads(const char* option, const std::string& value);
    void writes(const char* option, const std::string& value, Expand expand = {});
    /// A folder in which files of names that begin so are written.
    void fills(const char* option, const std::string& value, const char* prefix);

    /// Whether all that is written can be, before any work. Errors: Forbidden where a file that is
    /// written is one that is read, under whatever name, or is written by another option too; as
    /// checkWritable().
    [[nodiscard]] Expected<void> check() const;
    /// The same of what a scene was read from. Errors: Forbidden.
    [[nodiscard]] Expected<void> checkSources(std::span<const std::filesystem::path> sources) const;

private:
    struct Named {
        const char* option;
        const std::string* value;
        Expand expand;
        bool isFolder = false;
        [[nodiscard]] bool isFile() const { return !value->empty() && *value != "-"; }
        [[nodiscard]] Paths paths() const;
    };
    std::vector<Named> read_, written_;
};

}  // namespace flentro::cli
