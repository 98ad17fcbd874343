// Whether two scenes show the same surface.

#pragma once

#include <string>

#include "scene/scene.h"

namespace flentro::test {

/// Empty if both scenes place the same triangles, facing the same way, with materials of equal
/// value, each corner within `tolerance` metres; else what the first difference is.
[[nodiscard]] std::string differenceOfSurfaces(const Scene& a, const Scene& b, double tolerance);

}  // namespace flentro::test
