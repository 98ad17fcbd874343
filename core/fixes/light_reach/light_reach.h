// Light reach: ranges that end where a light no longer matters.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct LightReachSettings {
    /// A light ends where nothing seen owes it more than this share of its light, 0.001 to 0.5.
    double minShare = 0.02;
    /// Without a survey, and where nothing seen owes it anything: where it adds less, > 0.
    double minLux = 0.5;

    static const FixKind& kind();
};

/// Shortens the ranges of point and spot lights, for all nodes that share one alike; never
/// lengthens any. Lights that move stay as they are. Cost: O(entries of the light matrix).
[[nodiscard]] Fixed applyLightReach(const Scene& scene, const LightReachSettings& settings,
                                    const Evidence& evidence);

}  // namespace flentro
