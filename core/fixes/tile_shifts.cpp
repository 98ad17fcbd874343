#include "fixes/tile_shifts.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/disjoint_sets.h"
#include "base/index.h"

namespace flentro {

bool TileShifts::isNone() const {
    return std::all_of(shifts.begin(), shifts.end(), [](const Vec2f& s) { return s.isZero(); });
}

std::optional<TileShifts> tileShifts(const Part& part, const Stream& coords) {
    DisjointSets sets(coords.count());
    forEachTriangle(part, [&](const Corners& t) {
        sets.join(t[0], t[1]);
        sets.join(t[0], t[2]);
    });
    std::map<std::uint32_t, Eigen::AlignedBox2f> boxes;
    for (const std::uint32_t index : part.indices) {
        const Vec2f at(coords.value(index, 0), coords.value(index, 1));
        if (!at.allFinite()) return std::nullopt;
        boxes[sets.find(index)].extend(at);
    }
    struct Where {
        Vec2f shift, reach;
    };
    std::map<std::uint32_t, Where> found;
    TileShifts result;
    for (const auto& [set, box] : boxes) {
        const Vec2f shift = -(box.min().array() + kTileRounding).floor().matrix();
        found[set] = {shift, box.max() + shift};
        result.reach = result.reach.cwiseMax(found[set].reach);
    }
    result.shifts.assign(coords.count(), Vec2f::Zero());
    result.reaches.assign(coords.count(), Vec2f::Zero());
    for (const std::uint32_t index : part.indices) {
        const Where& where = found.at(sets.find(index));
        result.shifts[index] = where.shift;
        result.reaches[index] = where.reach;
    }
    return result;
}

bool repeatsBothWays(const Scene& scene, int sampler) {
    constexpr int kRepeat = 10497;  // glTF 2.0, sampler.wrapS, and the default
    if (sampler < 0) return true;
    const Json& rest = elementOf(scene.samplers, sampler).rest;
    return jsonOr(rest, "wrapS", kRepeat) == kRepeat && jsonOr(rest, "wrapT", kRepeat) == kRepeat;
}

LaidArea laidArea(const Part& part, const Stream& coords) {
    LaidArea area;
    const std::vector<Vec3f> points = positionsOf(part);
    forEachTriangle(part, [&](const Corners& t) {
        const auto coord = [&](std::size_t k) {
            return Vec2f(coords.value(t[k], 0), coords.value(t[k], 1));
        };
        const Vec2f u = coord(1) - coord(0);
        const Vec2f v = coord(2) - coord(0);
        area.picture += 0.5 * std::fabs(static_cast<double>(u.x() * v.y() - u.y() * v.x()));
        const Vec3f across = (points[t[1]] - points[t[0]]).cross(points[t[2]] - points[t[0]]);
        area.surface += 0.5 * static_cast<double>(across.norm());
    });
    return area;
}

}  // namespace flentro
