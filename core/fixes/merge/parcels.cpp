#include "fixes/merge/parcels.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <string>

#include "base/disjoint_sets.h"
#include "base/index.h"
#include "fixes/merge/parcel_mesh.h"
#include "geometry/cell.h"
#include "scene/blending.h"
#include "scene/edit.h"
#include "scene/zones.h"

namespace flentro {
namespace {

/// Objects that may share a parcel.
struct Kind {
    bool castsShadow = true;
    long reach = 0;                     ///< Step of the culling distance.
    std::string zone;                   ///< As zonesOf() tells.
    std::vector<std::uint32_t> lights;  ///< That reach it, if that matters.
    Hash part = {};                     ///< What it shows, if each material is by itself.
    auto operator<=>(const Kind&) const = default;
};

long reachOf(const Object& object, double growth) {
    constexpr double kFarthest = 1e6;  // metres; never culled
    const double end = std::clamp(object.culling.end, 1e-3, kFarthest);
    return growth > 1 ? std::lround(std::floor(std::log(end) / std::log(growth))) : 0;
}

std::vector<std::uint32_t> lightsAt(const Scene& scene, const Box& bounds) {
    std::vector<std::uint32_t> lights;
    for (std::uint32_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& light = scene.placedLights[i];
        if (bounds.exteriorDistance(light.position) < light.range) lights.push_back(i);
    }
    return lights;
}

double largestEdge(const Box& box) {
    return box.sizes().maxCoeff();
}

std::vector<Group> byGrid(const Scene& scene, const std::vector<Group>& kinds, double size) {
    std::vector<Group> groups;
    for (const Group& kind : kinds) {
        std::map<Cell, Group> cells;
        for (const std::uint32_t i : kind)
            cells[cellAt(scene.objects[i].bounds.center(), size)].push_back(i);
        for (auto& [cell, members] : cells) groups.push_back(std::move(members));
    }
    return groups;
}

/// Joins the nearest pairs first, while what comes of it is no larger than a parcel.
class Nearness {
public:
    Nearness(const Scene& scene, const Group& members, double size)
        : scene_(scene), members_(members), size_(size), sets_(members.size()) {
        for (const std::uint32_t i : members) bounds_.push_back(scene.objects[i].bounds);
    }

    std::vector<Group> run() {
        for (const auto& [gap, a, b] : pairs()) join(a, b);
        std::map<std::uint32_t, Group> groups;
        for (std::uint32_t i = 0; i < members_.size(); ++i)
            groups[sets_.find(i)].push_back(members_[i]);
        std::vector<Group> result;
        for (auto& [root, group] : groups) result.push_back(std::move(group));
        return result;
    }

private:
    struct Pair {
        double gap;
        std::uint32_t a, b;
        auto operator<=>(const Pair&) const = default;
    };

    /// Each object with those in its own and the neighbouring cells; of crowded cells the next
    /// few, as one chain joins them all.
    [[nodiscard]] std::vector<Pair> pairs() const {
        constexpr std::size_t kMaxOfCell = 12;
        const double edge = size_ / 2;
        std::map<Cell, Group> cells;
        for (std::uint32_t i = 0; i < members_.size(); ++i)
            cells[cellAt(bounds_[i].center(), edge)].push_back(i);
        std::vector<Pair> pairs;
        for (const auto& [cell, group] : cells)
            for (long n = 13; n < 27; ++n) {  // half of the neighbours, and itself
                const auto near =
                    cells.find({cell[0] + n / 9 - 1, cell[1] + n / 3 % 3 - 1, cell[2] + n % 3 - 1});
                if (near == cells.end()) continue;
                for (std::size_t i = 0; i < group.size(); ++i) {
                    const bool own = near->first == cell;
                    const std::size_t first = own ? i + 1 : 0;
                    const std::size_t last = std::min(near->second.size(), first + kMaxOfCell);
                    for (std::size_t j = first; j < last; ++j)
                        pairs.push_back(
                            {gap(group[i], near->second[j]), group[i], near->second[j]});
                }
            }
        std::sort(pairs.begin(), pairs.end());
        return pairs;
    }

    [[nodiscard]] double gap(std::uint32_t a, std::uint32_t b) const {
        return bounds_[a].exteriorDistance(bounds_[b]);
    }

    void join(std::uint32_t a, std::uint32_t b) {
        a = sets_.find(a);
        b = sets_.find(b);
        if (a == b) return;
        const Box both = bounds_[a].merged(bounds_[b]);
        if (largestEdge(both) > size_) return;
        sets_.join(a, b);
        bounds_[std::min(a, b)] = both;
    }

    const Scene& scene_;
    const Group& members_;
    const double size_;
    DisjointSets sets_;
    std::vector<Box> bounds_;
};

}  // namespace

const Asset& assetOf(const Scene& scene, std::uint32_t object) {
    return scene.asset(scene.objects[object]);
}

Object joinObjects(const Scene& scene, const Group& group) {
    Object joined;
    joined.castsShadow = scene.objects[group.front()].castsShadow;
    joined.culling = {0, 0, 0, 0};
    for (const std::uint32_t i : group) {
        const Object& member = scene.objects[i];
        joined.bounds.extend(member.bounds);
        joined.origins.insert(joined.origins.end(), member.origins.begin(), member.origins.end());
        Culling& culling = joined.culling;
        culling.fadeStart = std::max(culling.fadeStart, member.culling.fadeStart);
        culling.end = std::max(culling.end, member.culling.end);
        culling.shadowEnd = std::max(culling.shadowEnd, member.culling.shadowEnd);
    }
    return joined;
}

std::vector<bool> membersOf(const std::vector<Group>& groups, std::size_t objects) {
    std::vector<bool> members(objects, false);
    for (const Group& group : groups)
        for (const std::uint32_t i : group) members[i] = true;
    return members;
}

std::vector<MergeEligibility> eligibilityOf(const Scene& scene, const MergeSettings& settings) {
    const std::vector<bool> moving = movingNodes(scene);
    std::vector<MergeEligibility> eligibility;
    for (const Object& object : scene.objects) {
        const auto node = static_cast<std::size_t>(object.node);
        const Asset& asset = scene.asset(object);
        const auto& parts = asset.mesh->parts;
        const auto any = [&](auto&& is) { return std::any_of(parts.begin(), parts.end(), is); };
        const auto change = settings.overrides.find(asset.mesh->name);
        const bool left =
            change != settings.overrides.end() && change->second == MergeChoice::Leave;
        if (object.bounds.isEmpty() || !(std::fabs(object.world.determinant()) > 0) ||
            any([](const Part& part) { return !part.isTriangles(); }))
            eligibility.push_back(MergeEligibility::Empty);
        else if (moving[node])
            eligibility.push_back(MergeEligibility::Moves);
        else if (scene.nodes[node].skin >= 0 ||
                 any([](const Part& part) { return part.isDeformable(); }))
            eligibility.push_back(MergeEligibility::Bends);
        else if (left || asset.importance == Importance::Keep ||
                 settings.excluded.contains(object.name) || object.standIn >= 0 ||
                 object.culling.start > 0)
            eligibility.push_back(MergeEligibility::Kept);
        else if (any([&](const Part& part) { return isBlended(scene, part); }))
            eligibility.push_back(MergeEligibility::Transparent);
        else
            eligibility.push_back(MergeEligibility::Static);
    }
    return eligibility;
}

std::vector<Group> groupObjects(const Scene& scene, const std::vector<bool>& marked,
                                const MergeSettings& settings, double size) {
    const std::vector<std::string> zones = zonesOf(scene);
    std::map<Kind, Group> byKind;
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        if (!marked[i] || largestEdge(object.bounds) > size) continue;
        Kind kind{object.castsShadow,
                  reachOf(object, settings.maxCullRatio),
                  elementOf(zones, object.node),
                  {},
                  {}};
        if (settings.grouping == MergeSettings::Grouping::Material) {
            const auto& parts = scene.mesh(object).parts;
            kind.part = partKind(parts.front());
            if (std::any_of(parts.begin(), parts.end(),
                            [&](const Part& part) { return partKind(part) != kind.part; }))
                continue;
        }
        if (settings.sameLights) kind.lights = lightsAt(scene, object.bounds);
        byKind[std::move(kind)].push_back(i);
    }
    std::vector<Group> kinds;
    for (auto& [kind, members] : byKind) kinds.push_back(std::move(members));
    std::vector<Group> groups;
    if (settings.grouping != MergeSettings::Grouping::Near)
        groups = byGrid(scene, kinds, size);
    else
        for (const Group& kind : kinds)
            for (Group& group : Nearness(scene, kind, size).run())
                groups.push_back(std::move(group));
    std::erase_if(groups, [](const Group& group) { return group.size() < 2; });
    return groups;
}

}  // namespace flentro
