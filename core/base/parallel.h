// Loops over all cores. Results must go to slots of their own, so that the outcome does not
// depend on the number of threads.

#pragma once

#include <algorithm>
#include <cassert>
#include <cstddef>
#include <functional>
#include <string_view>

#include "base/progress.h"

namespace flentro {

/// Calls `body(i)` for each i in [0, count) on all cores, begun in this order; reports the share of
/// finished calls under `message`. Returns false if cancelled, in which case some calls were
/// left out. `body` must not throw.
[[nodiscard]] bool parallelFor(std::size_t count, std::string_view message, Progress& progress,
                               const std::function<void(std::size_t)>& body);

/// Calls `body(i)` for each i in [0, count) on all cores. For short work: it neither reports nor
/// ends early. `body` must not throw.
void parallelEach(std::size_t count, const std::function<void(std::size_t)>& body);

/// Calls `body(begin, end)` for [0, count) in ranges of `size`, the last shorter, on all cores.
template <typename Body>
void parallelRanges(std::size_t count, std::size_t size, Body&& body) {
    assert(size > 0);
    const std::size_t ranges = (count + size - 1) / size;
    if (ranges < 2) return body(std::size_t{0}, count);
    parallelEach(ranges, [&](std::size_t range) {
        body(range * size, std::min(count, (range + 1) * size));
    });
}

}  // namespace flentro
