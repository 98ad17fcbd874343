// Which materials a mesh shows.

#pragma once

#include <algorithm>
#include <vector>

#include "geometry/mesh.h"

namespace flentro {

/// Each material once, rising; -1 stands for glTF's standard material. Cost: O(parts log parts).
[[nodiscard]] inline std::vector<int> materialsOf(const Mesh& mesh) {
    std::vector<int> materials;
    for (const Part& part : mesh.parts) materials.push_back(part.material);
    std::sort(materials.begin(), materials.end());
    materials.erase(std::unique(materials.begin(), materials.end()), materials.end());
    return materials;
}

[[nodiscard]] inline std::size_t materialCount(const Mesh& mesh) {
    return materialsOf(mesh).size();
}

}  // namespace flentro
