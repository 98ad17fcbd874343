// Places on a grid, as keys of maps.

#pragma once

#include <array>
#include <cmath>

#include "geometry/space.h"

namespace flentro {

using Cell = std::array<long, 3>;

struct HashCell {
    std::size_t operator()(const Cell& c) const {
        return static_cast<std::size_t>(c[0] * 73856093L ^ c[1] * 19349663L ^ c[2] * 83492791L);
    }
};

/// The cell with edges of that length that a point is in.
[[nodiscard]] inline Cell cellAt(const Vec3d& p, double edge) {
    return {std::lround(std::floor(p.x() / edge)), std::lround(std::floor(p.y() / edge)),
            std::lround(std::floor(p.z() / edge))};
}

}  // namespace flentro
