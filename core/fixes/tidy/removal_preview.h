// What a fix takes away, marked in the scene as it was before it.

#pragma once

#include "base/error.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace flentro {

struct RemovalPreview {
    Scene scene;                ///< As before, with what goes in a flat material of its own.
    std::size_t triangles = 0;  ///< Of the meshes.
    std::size_t placed = 0;     ///< The same times the copies.
};

/// Marks the triangles of `before` that `after` no longer has: gone, or joined into larger ones.
/// Assets are matched by their order, which must be the same in both; triangles by the places of
/// their corners. `color`: linear red, green, blue. Levels are left out. Errors: Cancelled.
/// Cost: O(T); all cores.
[[nodiscard]] Expected<RemovalPreview> previewRemoval(const Scene& before, const Scene& after,
                                                      const Vec3f& color, Progress& progress);

}  // namespace flentro
