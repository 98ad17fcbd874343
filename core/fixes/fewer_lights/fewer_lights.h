// Fewer lights: those that nothing seen depends on go, like ones that stand close become one, and
// no object and no view has more than it may.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct FewerLightSettings {
    /// Lights whose going changes no view by more than this share of the display's range go.
    double minChange = 0.001;
    double mergeWithin = 2;  ///< Metres between like point lights that may become one; 0: none.
    double maxMergeChange = 0.01;  ///< Of any view, by one light in place of several.
    int perObject = 8;  ///< Lights that may reach one object, where views change no more; 0: any.
    bool capViews = true;  ///< Lights end at distances, so that no view holds too many.
    int limit = 0;         ///< In any view; 0: the target's.
    double fade = 0.2;     ///< Width of the fade band before such a distance, as a share.

    static const FixKind& kind();
};

/// Lights that move stay and count. Without a survey with rays none goes and none are merged.
/// Errors: Cancelled. Cost: see limitLights(), and O(entries of the light matrix).
[[nodiscard]] Expected<Fixed> applyFewerLights(const Scene& scene,
                                               const FewerLightSettings& settings,
                                               const Target& target, const Evidence& evidence,
                                               Progress& progress);

}  // namespace flentro
