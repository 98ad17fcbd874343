// Shadow lights: those whose shadows are missed most keep them, as many as a view may hold.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct ShadowLightSettings {
    /// What becomes of those that are too many.
    enum class Excess {
        Distance,  ///< They cast shadows up to a distance from the eye.
        Never,     ///< They cast none.
        AtOnce,    ///< The strongest at the eye cast theirs, as the program chooses as it runs.
    };
    int limit = 0;  ///< In any view; 0: the target's.
    Excess excess = Excess::Distance;
    /// Shadows that change no view by more than this share of the display's range go, 0 to 1.
    double minChange = 0.002;

    static const FixKind& kind();
};

/// Without a survey with rays shadows are weighed by what lies in their lights' range. Errors:
/// Cancelled. Cost: see limitLights(), and O(entries of the light matrix).
[[nodiscard]] Expected<Fixed> applyShadowLights(const Scene& scene,
                                                const ShadowLightSettings& settings,
                                                const Target& target, const Evidence& evidence,
                                                Progress& progress);

}  // namespace flentro
