// Places on a grid, as keys of maps.

#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>

#include "geometry/space.h"

namespace flentro {

using Cell = std::array<long, 3>;

struct HashCell {
    std::size_t operator()(const Cell& c) const {
        const auto part = [](long v, std::size_t prime) {
            return static_cast<std::size_t>(v) * prime;
        };
        return part(c[0], 73856093U) ^ part(c[1], 19349663U) ^ part(c[2], 83492791U);
    }
};

/// 64 bits by which even many millions of cells are told apart.
[[nodiscard]] inline std::uint64_t hash64(const Cell& cell) {
    std::uint64_t hash = 0;
    for (const long c : cell) {
        hash = (hash ^ static_cast<std::uint64_t>(c)) * 0x9E3779B97F4A7C15U;
        hash ^= hash >> 29U;
    }
    return hash;
}

/// The cell with edges of that length that a point is in.
[[nodiscard]] inline Cell cellAt(const Vec3d& p, double edge) {
    constexpr double kFarthest = 1e15;  // beyond it cells are no longer told apart
    const auto cell = [&](double c) {
        return std::lround(std::clamp(std::floor(c / edge), -kFarthest, kFarthest));
    };
    return {cell(p.x()), cell(p.y()), cell(p.z())};
}

}  // namespace flentro
