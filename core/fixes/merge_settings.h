// What two settings of one fix ask for, together.

#pragma once

#include "fixes/fix.h"

namespace flentro {

/// Settings that do what `own` does and what `prepared`, of the same kind, does besides: lists of
/// things and tables take what they lack; a number, choice or switch is taken where `own` has its
/// default. What somebody has set is not changed.
[[nodiscard]] FixSettings mergeSettings(const FixSettings& own, const FixSettings& prepared);

}  // namespace flentro
