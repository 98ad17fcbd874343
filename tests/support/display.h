// The display that fixes are tested for.

#pragma once

#include "budget/target.h"

namespace flentro::test {

/// 1080 rows over 60 degrees: 935.3 pixels of a metre at one metre; far plane at 500 m.
[[nodiscard]] inline Target display() {
    Target target;
    target.height = 1080;
    target.verticalFov = 60;
    target.farPlane = 500;
    return target;
}

}  // namespace flentro::test
