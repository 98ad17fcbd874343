// Far stand-ins: from afar a whole neighbourhood is one mesh in the colours of its vertices.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct StandInSettings {
    double parcel = 64;          ///< Metres, edge of a neighbourhood, 1 to 1e5.
    double startDistance = 120;  ///< Metres from its bounds at which it takes over, > 0.
    double pixels = 2;           ///< Deviation on the target's display there, 0.1 to 100.

    static const FixKind& kind();
};

/// Only static, opaque objects that are not culled before. Errors: Cancelled. Cost: that of a
/// Reducer a parcel.
[[nodiscard]] Expected<Fixed> applyStandIns(const Scene& scene, const StandInSettings& settings,
                                            const Target& target, Progress& progress);

}  // namespace flentro
