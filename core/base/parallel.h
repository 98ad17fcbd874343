// Loops over both cores. Results must go to slots of their own, so that the outcome does not
// depend on the number of threads.

#pragma once

#include <algorithm>
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

/// Calls `body(begin, end)` for [0, count) in ranges of `size`, the last shorter, on all cores. For
/// short work: it neither reports nor ends early.
template <typename Body>
void parallelRanges(std::size_t count, std::size_t size, Body&& body) {
    const std::size_t ranges = (count + size - 1) / size;
    if (ranges < 2) return body(std::size_t{0}, count);
    parallelFor(ranges, "", noProgress(), [&](std::size_t range) {
        body(range * size, std::min(count, (range + 1) * size));
    });
}

}  // namespace flentro
