// Loops over both cores. Results must go to slots of their own, so that the outcome does not
// depend on the number of threads.

#pragma once

#include <cstddef>
#include <functional>
#include <string_view>

#include "base/progress.h"

namespace flentro {

/// Calls `body(i)` for each i in [0, count) on all cores, begun in this order; reports the share of
/// finished calls under `message`. Returns false if cancelled, in which case some calls were
/// left out. `body` must not throw.
bool parallelFor(std::size_t count, std::string_view message, Progress& progress,
                 const std::function<void(std::size_t)>& body);

}  // namespace flentro
