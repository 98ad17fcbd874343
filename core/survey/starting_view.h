// Where a scene is first looked at, and where walks through it start when nobody says where.

#pragma once

#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "budget/target.h"
#include "geometry/frustum.h"
#include "survey/ray_scene.h"

namespace flentro {

/// A first view that shows the scene: the first camera with something before it; else the whole,
/// where the far plane lets it be seen; else a place on the ground from which most objects are in
/// view. Errors: Cancelled. Cost: O(objects), and of a RayScene for scenes larger than the far
/// plane.
[[nodiscard]] Expected<Viewpoint> startingView(const Scene& scene, const Target& target,
                                               Progress& progress);

/// Eyes of the scene's cameras that look as somebody does who stands on something: `eyeHeight`
/// metres above it, nearly. Cost: a ray for each camera.
[[nodiscard]] std::vector<Vec3d> standingCameras(const Scene& scene, const RayScene& rays,
                                                 double eyeHeight);

/// SpotPlan::starts of a scene of which nothing else is known: the eye of its starting view and
/// its standing cameras. Ground that is cut off from one of them is reached from another.
/// Errors: Cancelled.
[[nodiscard]] Expected<std::vector<Vec3d>> walkStarts(const Scene& scene, const RayScene& rays,
                                                      const Target& target, double eyeHeight,
                                                      Progress& progress);

}  // namespace flentro
