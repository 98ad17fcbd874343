#include "geometry/polygon.h"

#include <algorithm>
#include <cmath>

namespace flentro {
namespace {

using Vec2d = Eigen::Vector2d;

double cross(const Vec2d& a, const Vec2d& b, const Vec2d& c) {
    return (b - a).x() * (c - a).y() - (b - a).y() * (c - a).x();
}

/// Seen along its normal, so that it runs counter-clockwise.
std::vector<Vec2d> flattened(std::span<const Vec3d> corners) {
    Vec3d normal = Vec3d::Zero();
    for (std::size_t i = 0; i < corners.size(); ++i) {
        const Vec3d& a = corners[i];
        const Vec3d& b = corners[(i + 1) % corners.size()];
        normal += (a - corners[0]).cross(b - corners[0]);
    }
    normal = normal.norm() > 0 ? normal.normalized().eval() : Vec3d::UnitZ().eval();
    const Vec3d u = normal.unitOrthogonal();
    const Vec3d v = normal.cross(u);
    std::vector<Vec2d> points;
    points.reserve(corners.size());
    for (const Vec3d& corner : corners)
        points.emplace_back((corner - corners[0]).dot(u), (corner - corners[0]).dot(v));
    return points;
}

class EarClipper {
public:
    explicit EarClipper(std::vector<Vec2d> points)
        : points_(std::move(points)), next_(points_.size()), previous_(points_.size()) {
        const auto n = static_cast<std::uint32_t>(points_.size());
        for (std::uint32_t i = 0; i < n; ++i) {
            next_[i] = (i + 1) % n;
            previous_[i] = (i + n - 1) % n;
        }
        buildGrid();
    }

    std::vector<std::array<std::uint32_t, 3>> run() {
        std::vector<std::array<std::uint32_t, 3>> triangles;
        auto left = static_cast<std::uint32_t>(points_.size());
        triangles.reserve(left - 2);
        std::uint32_t at = 0;
        std::uint32_t sinceLast = 0;
        while (left > 3) {
            // All the way round without an ear: it crosses itself, and any corner will do.
            const bool isForced = sinceLast > left;
            if (!isForced && !isEar(at)) {
                at = next_[at];
                ++sinceLast;
                continue;
            }
            triangles.push_back({previous_[at], at, next_[at]});
            clip(at);
            --left;
            sinceLast = 0;
            at = next_[next_[at]];  // so that long strips do not become fans of slivers
        }
        triangles.push_back({previous_[at], at, next_[at]});
        return triangles;
    }

private:
    [[nodiscard]] bool isReflex(std::uint32_t i) const {
        return cross(points_[previous_[i]], points_[i], points_[next_[i]]) <= 0;
    }

    [[nodiscard]] std::size_t column(double x, int axis) const {
        const double at = (x - low_[axis]) * perCell_[axis];
        return static_cast<std::size_t>(std::clamp(at, 0.0, static_cast<double>(edge_ - 1)));
    }
    [[nodiscard]] std::vector<std::uint32_t>& cellOf(std::uint32_t i) {
        return cells_[column(points_[i].y(), 1) * edge_ + column(points_[i].x(), 0)];
    }

    void buildGrid() {
        low_ = points_[0];
        Vec2d high = points_[0];
        for (const Vec2d& point : points_) {
            low_ = low_.cwiseMin(point);
            high = high.cwiseMax(point);
        }
        edge_ = std::max<std::size_t>(
            1, static_cast<std::size_t>(std::sqrt(static_cast<double>(points_.size()) / 2)));
        for (int axis = 0; axis < 2; ++axis) {
            const double extent = high[axis] - low_[axis];
            perCell_[axis] = extent > 0 ? static_cast<double>(edge_) / extent : 0;
        }
        cells_.resize(edge_ * edge_);
        for (std::uint32_t i = 0; i < points_.size(); ++i)
            if (isReflex(i)) cellOf(i).push_back(i);
    }

    [[nodiscard]] bool isEar(std::uint32_t i) const {
        const std::uint32_t p = previous_[i];
        const std::uint32_t n = next_[i];
        const Vec2d &a = points_[p], &b = points_[i], &c = points_[n];
        if (cross(a, b, c) <= 0) return false;
        const Vec2d low = a.cwiseMin(b).cwiseMin(c);
        const Vec2d high = a.cwiseMax(b).cwiseMax(c);
        for (std::size_t y = column(low.y(), 1); y <= column(high.y(), 1); ++y)
            for (std::size_t x = column(low.x(), 0); x <= column(high.x(), 0); ++x)
                for (const std::uint32_t other : cells_[y * edge_ + x]) {
                    if (other == p || other == i || other == n) continue;
                    const Vec2d& q = points_[other];
                    if (q == a || q == b || q == c) continue;
                    if (cross(a, b, q) >= 0 && cross(b, c, q) >= 0 && cross(c, a, q) >= 0)
                        return false;
                }
        return true;
    }

    void clip(std::uint32_t i) {
        const std::uint32_t p = previous_[i];
        const std::uint32_t n = next_[i];
        std::erase(cellOf(i), i);
        next_[p] = n;
        previous_[n] = p;
        for (const std::uint32_t end : {p, n})
            if (!isReflex(end)) std::erase(cellOf(end), end);
    }

    std::vector<Vec2d> points_;
    std::vector<std::uint32_t> next_, previous_;
    Vec2d low_;
    Vec2d perCell_;
    std::size_t edge_ = 1;
    std::vector<std::vector<std::uint32_t>> cells_;  ///< Reflex corners.
};

}  // namespace

std::vector<std::array<std::uint32_t, 3>> triangulate(std::span<const Vec3d> corners) {
    if (corners.size() < 3) return {};
    return EarClipper(flattened(corners)).run();
}

}  // namespace flentro
