// Points in cells, to know whether another is near any of them.

#pragma once

#include <array>
#include <cmath>
#include <map>
#include <vector>

#include "geometry/space.h"

namespace flentro {

/// Points, and whether another is within `distance` metres of any of them.
/// Cost: O(log points) for points that are spread, to add and to query.
class Nearness {
public:
    explicit Nearness(double distance) : distance_(distance) {}
    void add(const Vec3d& point) { cells_[cellOf(point)].push_back(point); }
    [[nodiscard]] bool isNear(const Vec3d& point) const {
        const Cell middle = cellOf(point);
        for (int i = 0; i < 27; ++i) {
            const auto found = cells_.find(
                {middle[0] + i / 9 - 1, middle[1] + i / 3 % 3 - 1, middle[2] + i % 3 - 1});
            if (found == cells_.end()) continue;
            for (const Vec3d& other : found->second)
                if ((other - point).norm() <= distance_) return true;
        }
        return false;
    }

private:
    using Cell = std::array<long, 3>;
    [[nodiscard]] Cell cellOf(const Vec3d& point) const {
        return {std::lround(point.x() / distance_), std::lround(point.y() / distance_),
                std::lround(point.z() / distance_)};
    }
    double distance_;
    std::map<Cell, std::vector<Vec3d>> cells_;
};

}  // namespace flentro
