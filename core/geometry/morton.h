// The order of points along a curve that fills space: those close in space are close in order.
//
// G. M. Morton, "A Computer Oriented Geodetic Data Base", IBM 1966.

#pragma once

#include <span>
#include <vector>

#include "geometry/space.h"

namespace flentro {

/// Cells an axis that have a code.
inline constexpr std::uint32_t kMortonCells = 1U << 10U;

/// Of a cell; each number < kMortonCells. Its bits in turn.
[[nodiscard]] std::uint32_t mortonCode(std::uint32_t x, std::uint32_t y, std::uint32_t z);

/// [N] The rank of each along the curve, by cells of a few dozen; within a cell as
/// they came. Cost: O(N).
[[nodiscard]] std::vector<std::uint32_t> ranksAlongCurve(std::span<const Vec3f> points);

}  // namespace flentro
