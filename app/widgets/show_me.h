// What "Show me" goes to, wherever it is asked.

#pragma once

#include <functional>
#include <optional>

#include "geometry/frustum.h"
#include "scene/scene.h"

namespace flentro::app {

/// The object nearest to an eye of those that are wanted; nothing where none is.
[[nodiscard]] std::optional<std::size_t> nearestObject(
    const Scene& scene, const Vec3d& eye, const std::function<bool(std::size_t object)>& isWanted);

/// A level view of a point from a few metres before it.
[[nodiscard]] Viewpoint viewBefore(const Vec3d& point, double heading);

}  // namespace flentro::app
