// Light maps that a scene has already.

#pragma once

#include "findings/finding.h"

namespace flentro {

/// Share of the triangles of still objects, as placed, whose material reads light from an image
/// on a coordinate set of its own, 0 to 1: an emission or occlusion map on another set than the
/// colours.
[[nodiscard]] double lightMappedShare(const FindingInput& in);

/// From this share on a scene counts as light-mapped.
inline constexpr double kLightMapped = 0.3;

}  // namespace flentro
