// What lies too far away to count with.

#pragma once

#include "scene/scene.h"

namespace flentro {

/// Metres from the origin along any axis: farther off, single numbers no longer tell a millimetre
/// from a metre, squares leave their range and rays have no direction.
inline constexpr double kFarthest = 1e9;
inline constexpr const char* kBeyondReach = "beyond a million kilometres from the origin";

/// True for places that are numbers within kFarthest.
[[nodiscard]] bool isInReach(const Vec3d& place);

/// Takes out objects that reach beyond kFarthest or whose mesh does a thousand times so in its own
/// space, and lights and cameras that are beyond it; a note names each kind.
void leaveOutFar(Scene& scene);

}  // namespace flentro
