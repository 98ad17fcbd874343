#include "fixes/parcel_ledger.h"

#include <algorithm>
#include <bit>
#include <map>
#include <set>

#include "base/parallel.h"
#include "fixes/parcel_mesh.h"

namespace flentro {
namespace {

/// What is beyond a limit weighs so much more: views that are over matter most.
constexpr double kOver = 4;

/// As mergeGroup() would make it: counts only.
Asset outline(const Scene& scene, const Group& group) {
    std::size_t levels = 0;
    for (const std::uint32_t i : group)
        levels = std::max(levels, assetOf(scene, i).ladder.levels.size());
    Asset asset;
    for (std::size_t level = 0; level <= levels; ++level) {
        auto mesh = std::make_shared<Mesh>();
        std::map<Hash, int> kinds;
        Ladder::Level made;
        for (const std::uint32_t i : group) {
            const Asset& member = assetOf(scene, i);
            const std::size_t shown = std::min(level, member.ladder.levels.size());
            const Mesh& own = *member.level(shown);
            mesh->triangles += own.triangles;
            mesh->vertices += own.vertices;
            for (const Part& part : own.parts)
                if (!part.indices.empty()) kinds.try_emplace(partKind(part), part.material);
            if (shown > 0)
                made.switchDistance =
                    std::max(made.switchDistance, member.ladder.levels[shown - 1].switchDistance *
                                                      scene.objects[i].scale);
        }
        for (const auto& [kind, material] : kinds) {
            mesh->parts.emplace_back();
            mesh->parts.back().material = material;
        }
        made.mesh = mesh;
        if (level == 0)
            asset.mesh = mesh;
        else
            asset.ladder.levels.push_back(std::move(made));
    }
    return asset;
}

/// Calls of one object at a level.
double callsOf(const Scene& scene, std::uint32_t object, std::size_t level) {
    return static_cast<double>(assetOf(scene, object).level(level)->parts.size());
}

double trianglesOf(const Scene& scene, std::uint32_t object, std::size_t level) {
    return static_cast<double>(assetOf(scene, object).level(level)->triangles);
}

}  // namespace

Scene withoutGeometry(const Scene& scene, const std::vector<Group>& groups) {
    Scene result = scene;
    std::vector<bool> gone(scene.objects.size(), false);
    for (const Group& group : groups)
        for (const std::uint32_t i : group) gone[i] = true;
    result.objects.clear();
    for (std::size_t i = 0; i < gone.size(); ++i)
        if (!gone[i]) result.objects.push_back(scene.objects[i]);
    result.nodes.emplace_back();
    for (const Group& group : groups) {
        Object parcel;
        parcel.node = static_cast<int>(result.nodes.size()) - 1;
        parcel.asset = static_cast<int>(result.assets.size());
        parcel.castsShadow = scene.objects[group.front()].castsShadow;
        parcel.culling.end = parcel.culling.shadowEnd = 0;
        for (const std::uint32_t i : group) {
            const Object& member = scene.objects[i];
            parcel.bounds.extend(member.bounds);
            parcel.culling.end = std::max(parcel.culling.end, member.culling.end);
            parcel.culling.shadowEnd = std::max(parcel.culling.shadowEnd, member.culling.shadowEnd);
        }
        result.objects.push_back(std::move(parcel));
        result.assets.push_back(outline(scene, group));
    }
    return result;
}

ParcelLedger::ParcelLedger(const Scene& scene, const Target& target,
                           const std::vector<Evidence::Place>& places)
    : scene_(scene), target_(target), places_(places) {}

ParcelSize ParcelLedger::count(const std::vector<Group>& groups, double size) const {
    const Scene merged = withoutGeometry(scene_, groups);
    const ViewMeter meter(merged, target_);
    std::vector<ParcelSize> sums(places_.size());
    std::vector<double> views(places_.size(), 0);
    parallelFor(places_.size(), "Counting", noProgress(), [&](std::size_t p) {
        for (const ViewTally& tally : meter.count(meter.sight(places_[p].eye, places_[p].views))) {
            const Counts load = loads(tally.counts, target_);
            sums[p].calls += at(tally.counts, Measure::DrawCalls);
            sums[p].triangles += at(tally.counts, Measure::Triangles);
            for (const Measure measure : {Measure::DrawCalls, Measure::Triangles})
                sums[p].load += at(load, measure) + kOver * std::max(0.0, at(load, measure) - 1);
            views[p] += 1;
        }
    });
    ParcelSize mean{size, 0, 0, 0};
    double count = 0;
    for (std::size_t p = 0; p < sums.size(); ++p) {
        mean.calls += sums[p].calls;
        mean.triangles += sums[p].triangles;
        mean.load += sums[p].load;
        count += views[p];
    }
    if (count > 0) {
        mean.calls /= count;
        mean.triangles /= count;
        mean.load /= count;
    }
    return mean;
}

ParcelLedger::Shares ParcelLedger::share(const std::vector<Group>& groups) const {
    const Scene merged = withoutGeometry(scene_, groups);
    const ViewMeter before(scene_, target_);
    const ViewMeter after(merged, target_);
    const std::size_t firstParcel = merged.objects.size() - groups.size();
    std::vector<std::uint32_t> groupOf(scene_.objects.size(), ~0U);
    for (std::uint32_t g = 0; g < groups.size(); ++g)
        for (const std::uint32_t i : groups[g]) groupOf[i] = g;
    Shares shares{std::vector<Shares::Asset>(scene_.assets.size()),
                  std::vector<Shares::Account>(groups.size())};
    double views = 0;
    for (const Evidence::Place& place : places_) {
        const Sightings now = before.sight(place.eye, place.views);
        const Sightings then = after.sight(place.eye, place.views);
        views += static_cast<double>(now.views);
        // Copies at one level share their calls where the target instances: [asset, level, view].
        std::map<std::tuple<int, std::size_t, std::size_t>, double> copies;
        for (std::uint32_t i = 0; target_.instancing && i < scene_.objects.size(); ++i)
            for (std::size_t v = 0; now.objects[i] != 0 && v < now.views; ++v)
                if (now.objects[i] >> v & 1U)
                    copies[{scene_.objects[i].asset, now.levelOf(i), v}] += 1;
        for (std::uint32_t i = 0; i < scene_.objects.size(); ++i) {
            if (groupOf[i] == ~0U) continue;
            const std::size_t parcel = firstParcel + groupOf[i];
            const std::uint16_t apart = now.objects[i];
            const std::uint16_t together = then.objects[parcel];
            if ((apart | together) == 0) continue;
            auto& asset = shares.assets[static_cast<std::size_t>(scene_.objects[i].asset)];
            auto& account = shares.groups[groupOf[i]];
            for (std::size_t v = 0; v < now.views; ++v) {
                double calls = 0;
                if (apart >> v & 1U) {
                    const std::size_t level = now.levelOf(i);
                    const double among =
                        target_.instancing ? copies[{scene_.objects[i].asset, level, v}] : 1;
                    calls = callsOf(scene_, i, level) / among;
                }
                asset.callsApart += calls;
                account.callsSaved += calls;
            }
            if (together == 0) continue;
            const std::size_t level = then.levelOf(parcel);
            const std::size_t own = std::min(level, assetOf(scene_, i).ladder.levels.size());
            const auto drawn = static_cast<double>(std::popcount(together));
            const auto parts = static_cast<double>(
                merged.assets[static_cast<std::size_t>(merged.objects[parcel].asset)]
                    .level(level)
                    ->parts.size());
            const double call = drawn * parts / static_cast<double>(groups[groupOf[i]].size());
            asset.callsMerged += call;
            account.callsSaved -= call;
            const double was =
                apart == 0 ? 0 : std::popcount(apart) * trianglesOf(scene_, i, now.levelOf(i));
            const double paid = (drawn * trianglesOf(scene_, i, own) - was) * target_.eyes;
            asset.trianglesPaid += paid;
            account.trianglesPaid += paid;
        }
    }
    if (views == 0) return shares;
    for (Shares::Asset& asset : shares.assets) {
        asset.callsApart /= views;
        asset.callsMerged /= views;
        asset.trianglesPaid /= views;
    }
    for (Shares::Account& account : shares.groups) {
        account.callsSaved /= views;
        account.trianglesPaid /= views;
    }
    return shares;
}

}  // namespace flentro
