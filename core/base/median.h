// The middle one of some values.

#pragma once

#include <algorithm>
#include <vector>

namespace flentro {

/// The upper of both middle ones for an even count; 0 for none. Cost: O(n) expected.
[[nodiscard]] inline double median(std::vector<double> values) {
    if (values.empty()) return 0;
    const auto middle = values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2);
    std::nth_element(values.begin(), middle, values.end());
    return *middle;
}

}  // namespace flentro
