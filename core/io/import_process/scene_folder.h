// The files that the import library opens: those of the scene's folder.

#pragma once

#include <assimp/DefaultIOSystem.h>

#include <filesystem>
#include <set>

namespace flentro {

/// Opens nothing outside a folder, by whatever name or link, and writes nothing. Remembers what it
/// has opened and refused.
class SceneFolder final : public Assimp::DefaultIOSystem {
public:
    explicit SceneFolder(const std::filesystem::path& folder);

    bool Exists(const char* file) const override;
    Assimp::IOStream* Open(const char* file, const char* mode) override;

    [[nodiscard]] const std::set<std::filesystem::path>& opened() const { return opened_; }
    [[nodiscard]] const std::set<std::string>& refused() const { return refused_; }

private:
    [[nodiscard]] bool isInside(const char* file) const;

    std::filesystem::path folder_;  ///< Without links.
    std::set<std::filesystem::path> opened_;
    mutable std::set<std::string> refused_;
};

}  // namespace flentro
