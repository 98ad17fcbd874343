#include "named_files.h"

#include <fmt/format.h>

#include <algorithm>

#include "io/file.h"

namespace flentro::cli {
namespace {

namespace fs = std::filesystem;

bool overlap(const NamedFiles::Paths& some, const NamedFiles::Paths& others) {
    return std::any_of(some.begin(), some.end(), [&](const fs::path& path) {
        return std::any_of(others.begin(), others.end(),
                           [&](const fs::path& other) { return isSameFile(path, other); });
    });
}

}  // namespace

NamedFiles::Paths NamedFiles::Named::paths() const {
    if (!isFile()) return {};
    return expand ? expand(*value) : Paths{*value};
}

void NamedFiles::reads(const char* option, const std::string& value) {
    read_.push_back({option, &value, {}, false});
}

void NamedFiles::writes(const char* option, const std::string& value, Expand expand) {
    const bool isKnown = std::any_of(written_.begin(), written_.end(),
                                     [&](const Named& each) { return each.value == &value; });
    if (!isKnown) written_.push_back({option, &value, std::move(expand), false});
}

void NamedFiles::fills(const char* option, const std::string& value, const char* prefix) {
    writes(option, value, [prefix](const fs::path& folder) {
        Paths paths;
        std::error_code error;
        for (const auto& entry : fs::directory_iterator(folder, error))
            if (entry.path().filename().string().starts_with(prefix)) paths.push_back(entry.path());
        return paths;
    });
    written_.back().isFolder = true;
}

Expected<void> NamedFiles::check() const {
    for (std::size_t i = 0; i < written_.size(); ++i) {
        const Named& written = written_[i];
        if (!written.isFile()) continue;
        for (const Named& read : read_)
            if (overlap(written.paths(), read.paths()))
                return fail(
                    ErrorCode::Forbidden,
                    fmt::format("{} would write over what {} reads", written.option, read.option),
                    *written.value, "Choose another name");
        for (std::size_t k = 0; k < i; ++k)
            if (overlap(written.paths(), written_[k].paths()))
                return fail(ErrorCode::Forbidden,
                            fmt::format("{} and {} would write the same file", written_[k].option,
                                        written.option),
                            *written.value, "Choose another name");
        if (written.isFolder) continue;
        if (auto writable = checkWritable(*written.value); !writable) return writable;
    }
    return {};
}

Expected<void> NamedFiles::checkSources(std::span<const fs::path> sources) const {
    const Paths all(sources.begin(), sources.end());
    for (const Named& written : written_)
        if (overlap(written.paths(), all))
            return fail(ErrorCode::Forbidden,
                        fmt::format("{} would write over a file of the scene", written.option),
                        *written.value, "Choose another name");
    return {};
}

}  // namespace flentro::cli
