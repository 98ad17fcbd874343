// Shadows and lights, as far as they are missed.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct ShadowSettings {
    /// Size of a shadow on the display below which its object casts none; 0: shadows stay.
    double shadowPixels = 6;
    /// Objects that no shadow light reaches, or behind which nothing catches their shadow, cast
    /// none.
    bool hiddenCastNone = true;
    /// Size of what a light lights, on the display, below which it is off; 0: lights stay.
    double lightPixels = 24;
    double minLux = 0.5;  ///< What a light must add to a surface to count as lighting it, > 0.
    double fade = 0.2;    ///< Width of a light's fade band as a share of its distance, 0 to 0.9.
    std::map<std::string, double> overrides;  ///< Metres of a shadow, by asset name.

    static const FixKind& kind();
};

/// Shadow distances from the size of shadows where they fall, found by rays from the lights; light
/// distances from useful reach. Errors: Cancelled. Cost: some rays for each light and caster in its
/// range.
[[nodiscard]] Expected<Fixed> applyShadows(const Scene& scene, const ShadowSettings& settings,
                                           const Target& target, Progress& progress);

}  // namespace flentro
