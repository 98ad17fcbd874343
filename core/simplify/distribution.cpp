#include "simplify/distribution.h"

#include <algorithm>
#include <cassert>
#include <cmath>

namespace flentro {
namespace {

/// The fewest triangles of a curve's points that keep to a deviation.
std::size_t trianglesWithin(const DeviationCurve& curve, double deviation) {
    const auto above =
        std::upper_bound(curve.begin(), curve.end(), deviation,
                         [](double d, const CurvePoint& point) { return d < point.deviation; });
    return std::prev(above)->triangles;
}

std::size_t allWithin(std::span<const DeviationCurve> curves, double deviation) {
    std::size_t sum = 0;
    for (const DeviationCurve& curve : curves) sum += trianglesWithin(curve, deviation);
    return sum;
}

}  // namespace

std::vector<std::size_t> distributeTriangles(std::span<const DeviationCurve> curves,
                                             std::size_t triangles) {
    double low = 0;
    double high = 0;
    for (const DeviationCurve& curve : curves) {
        assert(!curve.empty() && curve.front().deviation == 0);
        high = std::max(high, curve.back().deviation);
        for (const CurvePoint& point : curve)
            if (point.deviation > 0 && (low == 0 || point.deviation < low)) low = point.deviation;
    }
    constexpr int kHalvings = 60;
    if (allWithin(curves, 0) <= triangles) high = 0;
    low = std::min(low, high) / 2;
    // `high` keeps to the number, where any deviation does; `low` does not.
    for (int i = 0; i < kHalvings && high > 0; ++i) {
        const double middle = std::sqrt(low * high);
        (allWithin(curves, middle) <= triangles ? high : low) = middle;
    }
    std::vector<std::size_t> counts;
    std::size_t sum = 0;
    for (const DeviationCurve& curve : curves) {
        counts.push_back(trianglesWithin(curve, high));
        sum += counts.back();
    }
    // Many may come to the next of their points at once: there is room for some before it.
    for (std::size_t i = 0; i < curves.size() && sum < triangles; ++i) {
        const std::size_t more =
            std::min(trianglesWithin(curves[i], low) - counts[i], triangles - sum);
        counts[i] += more;
        sum += more;
    }
    return counts;
}

}  // namespace flentro
