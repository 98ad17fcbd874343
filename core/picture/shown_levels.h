// A scene as one eye is shown it: each object by the level of detail that is drawn from there.

#pragma once

#include "budget/target.h"
#include "scene/scene.h"

namespace flentro {

/// The scene with the mesh of each object's level from `view` in place of its level 0, and without
/// ladders; what is beyond its culling distance has its last level. Objects stay where they are in
/// the lists. Cost: O(objects log objects).
[[nodiscard]] Scene shownFrom(const Scene& scene, const Target& target, const Viewpoint& view);

/// True if any asset has levels: else all eyes are shown the same.
[[nodiscard]] bool hasLevels(const Scene& scene);

}  // namespace flentro
