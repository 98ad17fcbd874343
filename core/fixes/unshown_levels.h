// Levels of detail that no view can show.

#pragma once

#include "budget/target.h"
#include "scene/scene.h"

namespace flentro {

/// Takes levels away whose switch distance lies beyond the far plane or the culling distance of
/// every copy; returns how many. Cost: O(objects + levels).
std::size_t dropUnshownLevels(Scene& scene, const Target& target);

}  // namespace flentro
