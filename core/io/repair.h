// Making unsound vertex data sound. What cannot be repaired is left out, and told.

#pragma once

#include <string>
#include <unordered_map>
#include <vector>

#include "geometry/mesh.h"
#include "scene/scene.h"

namespace flentro {

/// A stream made sound, with the vertices that had no usable value.
struct SoundStream {
    StreamPtr stream;            ///< The input itself if nothing was wrong.
    std::vector<bool> unusable;  ///< [V] of POSITION: not finite; empty if all are.
    std::size_t repaired = 0;    ///< Elements changed.
};

/// Not-finite numbers become 0; NORMAL and TANGENT get unit length (to 0.0005, as validators
/// ask) and a handedness of +1 or -1; WEIGHTS a sum of one. Other streams pass.
[[nodiscard]] SoundStream makeSound(const StreamPtr& stream, const std::string& semantic);

/// Primitives that were dropped, by why.
struct Dropped {
    std::size_t outOfRange = 0;
    std::size_t notFinite = 0;
    bool incomplete = false;  ///< The number of indices was no multiple of the corners.
};

/// Drops triangles, lines or points with an index that is out of range or unusable.
Dropped dropUnusable(Part& part, const std::vector<bool>& unusable);

}  // namespace flentro
