// Light reach: ranges that end where a light no longer matters.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct LightReachSettings {
    /// All lights together change no view by more than this share of the display's range, 0 to 1.
    double maxChange = 0.01;
    /// Without a survey lights end where they add less than this, > 0.
    double minLux = 0.5;

    static const FixKind& kind();
};

/// Shortens the ranges of point and spot lights, for all nodes that share one alike; never
/// lengthens any. Lights that move stay as they are. Errors: Cancelled. Cost: O(entries of the
/// light matrix), some dozen times.
[[nodiscard]] Expected<Fixed> applyLightReach(const Scene& scene,
                                              const LightReachSettings& settings,
                                              const Evidence& evidence, Progress& progress);

}  // namespace flentro
