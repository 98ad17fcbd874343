#include "scene_folder.h"

#include <string_view>

#include "io/file.h"

namespace flentro {

namespace fs = std::filesystem;

SceneFolder::SceneFolder(const fs::path& folder) : folder_(fs::weakly_canonical(folder)) {}

bool SceneFolder::isInside(const char* file) const {
    std::error_code error;
    const fs::path path = fs::weakly_canonical(fs::absolute(file), error);
    if (error || !fs::is_regular_file(path, error)) return false;
    if (flentro::isInside(folder_, path)) return true;
    refused_.insert(file);
    return false;
}

bool SceneFolder::Exists(const char* file) const {
    return isInside(file) && DefaultIOSystem::Exists(file);
}

Assimp::IOStream* SceneFolder::Open(const char* file, const char* mode) {
    if (std::string_view(mode).find_first_of("wa+") != std::string_view::npos || !isInside(file))
        return nullptr;
    opened_.insert(fs::absolute(file).lexically_normal());
    return DefaultIOSystem::Open(file, mode);
}

}  // namespace flentro
