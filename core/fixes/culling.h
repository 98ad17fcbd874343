// What culling goes by, for the instrument that shows it.

#pragma once

#include "fixes/fix.h"

namespace flentro {

/// [objects] Metres: the diagonal of the bounds or, where a survey has seen less, the disc of what
/// it saw, but never less than a share of the bounds.
[[nodiscard]] std::vector<double> cullingSizes(const Scene& scene, const CullingSettings& settings,
                                               const Target& target, const Evidence& evidence);

}  // namespace flentro
