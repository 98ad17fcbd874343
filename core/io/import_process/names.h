// Small things that all converters need.

#pragma once

#include <assimp/scene.h>

#include <cmath>
#include <map>
#include <string>
#include <vector>

#include "base/json.h"
#include "geometry/space.h"

namespace flentro {

[[nodiscard]] inline float finiteOr(float value, float fallback) {
    return std::isfinite(value) ? value : fallback;
}

[[nodiscard]] inline Vec3f toVector(const aiVector3D& v) {
    return {v.x, v.y, v.z};
}

/// Column by column, as glTF has it.
[[nodiscard]] inline Json toJson(const aiMatrix4x4& matrix) {
    Json values = Json::array();
    for (unsigned column = 0; column < 4; ++column)
        for (unsigned row = 0; row < 4; ++row) values.push_back(finiteOr(matrix[row][column], 0));
    return values;
}

/// Nodes by name; of several with one name the first counts, as for the import library.
using NodeIndex = std::map<std::string, int>;

}  // namespace flentro
