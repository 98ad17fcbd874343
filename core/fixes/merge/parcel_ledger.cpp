#include "fixes/merge/parcel_ledger.h"

#include <algorithm>
#include <array>
#include <bit>
#include <map>
#include <numeric>

#include "base/parallel.h"
#include "fixes/merge/parcel_mesh.h"
#include "measure/batches.h"

namespace flentro {
namespace {

/// What a view that is over a limit weighs for that measure more than others: those come first.
constexpr double kUrgency = 1000;
constexpr double kCalm = 0.5;  ///< Load from which on a view weighs more, the nearer to its limit.
/// What it weighs that a view is over at all, as loads beyond limits: to be within is the aim.
constexpr double kIsOver = 0.5;
constexpr std::array kWeighed = {Measure::DrawCalls, Measure::Objects, Measure::Triangles};

/// As mergeGroup() would make it: counts only.
Asset outline(const Scene& scene, const Group& group, std::size_t maxVertices) {
    std::size_t levels = 0;
    for (const std::uint32_t i : group)
        levels = std::max(levels, assetOf(scene, i).ladder.levels.size());
    Asset asset;
    for (std::size_t level = 0; level <= levels; ++level) {
        auto mesh = std::make_shared<Mesh>();
        std::map<Hash, std::size_t> open;  // vertices of the last part of each kind
        Ladder::Level made;
        for (const std::uint32_t i : group) {
            const Asset& member = assetOf(scene, i);
            const std::size_t shown = std::min(level, member.ladder.levels.size());
            const Mesh& own = *member.level(shown);
            mesh->triangles += own.triangles;
            mesh->vertices += own.vertices;
            for (const Part& part : own.parts) {
                if (part.indices.empty()) continue;
                const auto [vertices, isNew] = open.try_emplace(partKind(part), 0);
                if (isNew || vertices->second + part.vertexCount() > maxVertices) {
                    mesh->parts.emplace_back();
                    mesh->parts.back().material = part.material;
                    vertices->second = 0;
                }
                vertices->second += part.vertexCount();
            }
            if (shown > 0)
                made.switchDistance =
                    std::max(made.switchDistance, member.ladder.levels[shown - 1].switchDistance *
                                                      scene.objects[i].scale);
        }
        made.mesh = mesh;
        if (level == 0)
            asset.mesh = mesh;
        else
            asset.ladder.levels.push_back(std::move(made));
    }
    return asset;
}

/// A target that batches copies on one node gets them there by fix Instances, which comes last: a
/// parcel has to be better than that.
Target afterInstances(Target target) {
    if (target.batching == Batching::Node) target.batching = Batching::Mesh;
    return target;
}

/// Calls of one object at a level.
double callsOf(const Scene& scene, std::uint32_t object, std::size_t level) {
    return static_cast<double>(assetOf(scene, object).level(level)->parts.size());
}

/// What the loads are beyond their limits, together.
double overloadOf(const Counts& load) {
    double sum = 0;
    for (const Measure measure : kWeighed) sum += std::max(0.0, at(load, measure) - 1);
    return sum;
}

/// What a view weighs for a measure.
double urgencyOf(double load) {
    const double near = std::clamp((load - kCalm) / (1 - kCalm), 0.0, 1.0);
    return 1 + kUrgency * near * near;
}

double trianglesOf(const Scene& scene, std::uint32_t object, std::size_t level) {
    return static_cast<double>(assetOf(scene, object).level(level)->triangles);
}

}  // namespace

Scene withoutGeometry(const Scene& scene, const std::vector<Group>& groups,
                      std::size_t maxVertices) {
    Scene result = scene;
    const std::vector<bool> gone = membersOf(groups, scene.objects.size());
    result.objects.clear();
    for (std::size_t i = 0; i < gone.size(); ++i)
        if (!gone[i]) result.objects.push_back(scene.objects[i]);
    result.nodes.emplace_back();
    for (const Group& group : groups) {
        Object parcel = joinObjects(scene, group);
        parcel.node = static_cast<int>(result.nodes.size()) - 1;
        parcel.asset = static_cast<int>(result.assets.size());
        result.objects.push_back(std::move(parcel));
        result.assets.push_back(outline(scene, group, maxVertices));
    }
    return result;
}

ParcelLedger::ParcelLedger(const Scene& scene, const Target& target,
                           const std::vector<Evidence::Place>& places, std::size_t maxVertices)
    : scene_(scene),
      maxVertices_(maxVertices),
      target_(afterInstances(target)),
      batches_(batchesOf(scene, target_.batching)),
      places_(places),
      prices_(places.size(), Counts{}),
      apart_(places.size()),
      before_(places.size()) {
    const ViewMeter meter(scene, target_);
    parallelEach(places.size(), [&](std::size_t p) {
        const EyeVisibility sightings = meter.sight(places[p].eye, places[p].views);
        apart_[p] = drawnApart(sightings);
        const auto views = static_cast<double>(places[p].views.size());
        for (const ViewTally& tally : meter.count(sightings)) {
            const Counts load = loads(tally.counts, target);
            for (const Measure measure : kWeighed) {
                const double limit = at(target.limits, measure);
                if (isLimit(limit))
                    at(prices_[p], measure) +=
                        urgencyOf(at(load, measure)) / (views * std::max(limit, 1.0));
            }
            before_[p].push_back({overloadOf(load), at(tally.counts, Measure::Triangles),
                                  at(load, Measure::Objects)});
        }
    });
}

double ParcelLedger::worth(const Counts& prices, double calls, double objects, double triangles) {
    const bool free = std::all_of(kWeighed.begin(), kWeighed.end(),
                                  [&](Measure measure) { return at(prices, measure) == 0; });
    if (free) return calls;
    return calls * at(prices, Measure::DrawCalls) + objects * at(prices, Measure::Objects) -
           triangles * at(prices, Measure::Triangles);
}

double ParcelLedger::worstObjects() const {
    double worst = 0;
    for (const std::vector<ViewLoad>& views : before_)
        for (const ViewLoad& view : views) worst = std::max(worst, view.objects);
    return worst;
}

double ParcelLedger::meanWorth(const Shares::Account& account) const {
    Counts prices{};
    for (const Measure measure : kWeighed)
        if (const double limit = at(target_.limits, measure); isLimit(limit))
            at(prices, measure) = 1 / std::max(limit, 1.0);
    return worth(prices, account.callsSaved, account.objectsSaved, account.trianglesPaid);
}

/// Cost of each object over the views of one place; a batch shares its calls evenly.
std::vector<ParcelLedger::Drawn> ParcelLedger::drawnApart(const EyeVisibility& sightings) const {
    std::vector<Drawn> all;
    std::map<std::pair<std::uint32_t, std::size_t>, double> together;  // in one view
    std::vector<double> calls(scene_.objects.size(), 0);
    for (std::size_t v = 0; v < sightings.views; ++v) {
        const auto isDrawn = [&](std::size_t i) { return (sightings.objects[i] >> v & 1U) != 0; };
        together.clear();
        for (std::uint32_t i = 0; i < calls.size(); ++i)
            if (isDrawn(i)) together[{batches_[i], sightings.levelOf(i)}] += 1;
        for (std::uint32_t i = 0; i < calls.size(); ++i) {
            if (!isDrawn(i)) continue;
            const std::size_t level = sightings.levelOf(i);
            calls[i] += callsOf(scene_, i, level) / together[{batches_[i], level}];
        }
    }
    for (std::uint32_t i = 0; i < calls.size(); ++i)
        if (sightings.objects[i] != 0)
            all.push_back({i, calls[i], static_cast<double>(std::popcount(sightings.objects[i])),
                           std::popcount(sightings.objects[i]) *
                               trianglesOf(scene_, i, sightings.levelOf(i))});
    return all;
}

ParcelSize ParcelLedger::count(const std::vector<Group>& groups, double size) const {
    const Scene merged = withoutGeometry(scene_, groups, maxVertices_);
    const ViewMeter meter(merged, target_);
    std::vector<ParcelSize> sums(places_.size());
    std::vector<double> views(places_.size(), 0);
    parallelEach(places_.size(), [&](std::size_t p) {
        for (const ViewTally& tally : meter.count(meter.sight(places_[p].eye, places_[p].views))) {
            const Counts load = loads(tally.counts, target_);
            sums[p].calls += at(tally.counts, Measure::DrawCalls);
            sums[p].triangles += at(tally.counts, Measure::Triangles);
            sums[p].objects += at(tally.counts, Measure::Objects);
            for (const Measure measure : kWeighed) sums[p].load += at(load, measure);
            const double overload = overloadOf(load);
            sums[p].overload += overload > 0 ? kIsOver + overload : 0;
            views[p] += 1;
        }
    });
    ParcelSize mean{size, 0, 0, 0, 0, 0};
    double count = 0;
    for (std::size_t p = 0; p < sums.size(); ++p) {
        mean.calls += sums[p].calls;
        mean.objects += sums[p].objects;
        mean.triangles += sums[p].triangles;
        mean.load += sums[p].load;
        mean.overload += sums[p].overload;
        count += views[p];
    }
    if (count > 0) {
        mean.calls /= count;
        mean.objects /= count;
        mean.triangles /= count;
        mean.load /= count;
        mean.overload /= count;
    }
    return mean;
}

double ParcelLedger::excessShare(std::size_t place, const std::vector<ViewTally>& merged) const {
    constexpr double kRounding = 1e-9;
    double share = 0;
    for (std::size_t v = 0; v < merged.size(); ++v) {
        const ViewLoad& before = before_[place][v];
        const double growth = overloadOf(loads(merged[v].counts, target_)) - before.overload;
        const double paid = at(merged[v].counts, Measure::Triangles) - before.triangles;
        if (growth <= kRounding || paid <= 0) continue;
        share = std::max(share, growth * at(target_.limits, Measure::Triangles) / paid);
    }
    return std::min(share, 1.0);
}

std::vector<std::size_t> ParcelLedger::overloading(const std::vector<Group>& groups) const {
    std::vector<std::size_t> result(groups.size(), 0);
    if (groups.empty() || !isLimit(at(target_.limits, Measure::Triangles))) return result;
    const Scene merged = withoutGeometry(scene_, groups, maxVertices_);
    const ViewMeter meter(merged, target_);
    const std::size_t firstParcel = merged.objects.size() - groups.size();
    std::vector<std::size_t> groupOf(scene_.objects.size(), groups.size());  // none
    for (std::size_t g = 0; g < groups.size(); ++g)
        for (const std::uint32_t i : groups[g]) groupOf[i] = g;
    std::vector<std::vector<std::size_t>> found(places_.size());
    parallelEach(places_.size(), [&](std::size_t p) {
        const EyeVisibility together = meter.sight(places_[p].eye, places_[p].views);
        const double share = excessShare(p, meter.count(together));
        if (share == 0) return;
        std::vector<double> paid(groups.size() + 1, 0);
        for (const Drawn& drawn : apart_[p]) paid[groupOf[drawn.object]] -= drawn.triangles;
        double whole = 0;
        for (std::size_t g = 0; g < groups.size(); ++g) {
            const auto parcel = static_cast<std::uint32_t>(firstParcel + g);
            if (const int views = std::popcount(together.objects[parcel]); views > 0)
                paid[g] += views * trianglesOf(merged, parcel, together.levelOf(parcel));
            whole += std::max(0.0, paid[g]);
        }
        std::vector<std::size_t> dearest(groups.size());
        std::iota(dearest.begin(), dearest.end(), std::size_t{0});
        std::stable_sort(dearest.begin(), dearest.end(),
                         [&](std::size_t a, std::size_t b) { return paid[a] > paid[b]; });
        double gone = 0;
        for (const std::size_t g : dearest) {
            if (paid[g] <= 0 || gone >= share * whole) break;
            gone += paid[g];
            found[p].push_back(g);
        }
    });
    for (const auto& here : found)
        for (const std::size_t g : here) ++result[g];
    return result;
}

/// Sums up what assets and groups save and pay, place by place.
class ParcelLedger::Sharing {
public:
    Sharing(const ParcelLedger& ledger, const std::vector<Group>& groups)
        : l_(ledger),
          groups_(groups),
          merged_(withoutGeometry(ledger.scene_, groups, ledger.maxVertices_)),
          meter_(merged_, ledger.target_),
          groupOf_(ledger.scene_.objects.size(), kNone) {
        for (std::uint32_t g = 0; g < groups.size(); ++g)
            for (const std::uint32_t i : groups[g]) groupOf_[i] = g;
        shares_.assets.resize(l_.scene_.assets.size());
        shares_.groups.resize(groups.size());
    }

    void addPlace(std::size_t place) {
        const Evidence::Place& here = l_.places_[place];
        views_ += static_cast<double>(here.views.size());
        for (const Drawn& drawn : l_.apart_[place])
            if (groupOf_[drawn.object] != kNone) addApart(place, drawn);
        const EyeVisibility together = meter_.sight(here.eye, here.views);
        const std::size_t firstParcel = merged_.objects.size() - groups_.size();
        for (std::size_t g = 0; g < groups_.size(); ++g) {
            const auto parcel = static_cast<std::uint32_t>(firstParcel + g);
            const auto views = static_cast<double>(std::popcount(together.objects[parcel]));
            if (views > 0) addMerged(place, g, parcel, together.levelOf(parcel), views);
        }
    }

    /// Means over all views.
    [[nodiscard]] Shares take() {
        if (views_ == 0) return std::move(shares_);
        for (Shares::Asset& asset : shares_.assets)
            for (double* sum : {&asset.callsApart, &asset.callsMerged, &asset.objectsApart,
                                &asset.objectsMerged, &asset.trianglesPaid})
                *sum /= views_;
        for (Shares::Account& account : shares_.groups)
            for (double* sum : {&account.callsSaved, &account.objectsSaved, &account.trianglesPaid})
                *sum /= views_;
        return std::move(shares_);
    }

private:
    static constexpr std::uint32_t kNone = ~0U;

    [[nodiscard]] Shares::Asset& shareOf(std::uint32_t object) {
        return elementOf(shares_.assets, l_.scene_.objects[object].asset);
    }

    void pay(std::size_t place, std::uint32_t object, double triangles) {
        triangles *= l_.target_.eyes;
        const double costs = -worth(l_.prices_[place], 0, 0, triangles);
        Shares::Account& group = shares_.groups[groupOf_[object]];
        shareOf(object).trianglesPaid += triangles;
        shareOf(object).worth -= costs;
        group.trianglesPaid += triangles;
        group.worth -= costs;
    }

    /// What a member costs as it is.
    void addApart(std::size_t place, const Drawn& drawn) {
        Shares::Asset& asset = shareOf(drawn.object);
        Shares::Account& group = shares_.groups[groupOf_[drawn.object]];
        const double saved = worth(l_.prices_[place], drawn.calls, drawn.views, 0);
        asset.callsApart += drawn.calls;
        asset.objectsApart += drawn.views;
        asset.worth += saved;
        group.callsSaved += drawn.calls;
        group.objectsSaved += drawn.views;
        group.worth += saved;
        pay(place, drawn.object, -drawn.triangles);
    }

    /// What a group costs merged, in so many views of the place, shared evenly by its members.
    void addMerged(std::size_t place, std::size_t g, std::uint32_t parcel, std::size_t level,
                   double views) {
        Shares::Account& group = shares_.groups[g];
        const double calls = views * callsOf(merged_, parcel, level);
        const double costs = worth(l_.prices_[place], calls, views, 0);
        group.callsSaved -= calls;
        group.objectsSaved -= views;
        group.worth -= costs;
        const auto members = static_cast<double>(groups_[g].size());
        for (const std::uint32_t i : groups_[g]) {
            Shares::Asset& asset = shareOf(i);
            asset.callsMerged += calls / members;
            asset.objectsMerged += views / members;
            asset.worth -= costs / members;
            const std::size_t levels = assetOf(l_.scene_, i).ladder.levels.size();
            pay(place, i, views * trianglesOf(l_.scene_, i, std::min(level, levels)));
        }
    }

    const ParcelLedger& l_;
    const std::vector<Group>& groups_;
    const Scene merged_;
    const ViewMeter meter_;
    std::vector<std::uint32_t> groupOf_;  ///< [objects]
    Shares shares_;
    double views_ = 0;
};

ParcelLedger::Shares ParcelLedger::share(const std::vector<Group>& groups) const {
    Sharing sharing(*this, groups);
    for (std::size_t place = 0; place < places_.size(); ++place) sharing.addPlace(place);
    return sharing.take();
}

}  // namespace flentro
