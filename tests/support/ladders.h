// Settings of ladders that tests begin with.

#pragma once

#include "fixes/ladder/ladder.h"

namespace flentro::test {

/// For meshes of any size, level 0 as it is.
[[nodiscard]] inline LadderSettings ladderSettings(int levels = LadderSettings{}.levels) {
    LadderSettings settings;
    settings.minTriangles = 1;
    settings.simplifyLevel0 = false;
    settings.levels = levels;
    return settings;
}

}  // namespace flentro::test
