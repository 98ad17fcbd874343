// Faces with a picture each, as block-built things have them, made to share one repeating picture.

#pragma once

#include <optional>

#include "geometry/mesh.h"

namespace flentro {

/// The part with the first texture coordinates of neighbouring coplanar triangles shifted by
/// whole numbers so that they run on from one to the next, where the picture mappings the same way
/// on both: what was a face each becomes one field in which a repeating picture looks the same.
/// Vertices that have become equal are welded. Only right for pictures that repeat both ways.
/// Returns nothing if nothing runs on. Cost: O(V + T log T).
[[nodiscard]] std::optional<Part> joinTiles(const Part& part);

}  // namespace flentro
