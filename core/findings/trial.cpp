#include "findings/trial.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <set>
#include <tuple>

#include "base/index.h"
#include "findings/ranking.h"
#include "fixes/merge_settings.h"
#include "geometry/mesh_materials.h"
#include "measure/batches.h"
#include "measure/view_meter.h"

namespace flentro {
namespace {

/// [images] Those with equal content are numbered in their order.
std::vector<std::pair<Hash, std::size_t>> imageKeys(const Scene& scene) {
    std::map<Hash, std::size_t> known;
    std::vector<std::pair<Hash, std::size_t>> keys;
    for (const Image& image : scene.images) keys.emplace_back(image.hash, known[image.hash]++);
    return keys;
}

/// [before] The chosen things and those that `after` joins with them into one thing: the cost of a
/// parcel is counted with all of its members.
template <typename List>
std::vector<bool> withJoined(const List& before, std::vector<bool> chosen, const List& after) {
    const auto isAnyIn = [](const auto& thing, const std::set<std::uint32_t>& origins) {
        return std::any_of(thing.origins.begin(), thing.origins.end(),
                           [&](std::uint32_t origin) { return origins.contains(origin); });
    };
    std::set<std::uint32_t> origins;
    for (std::size_t i = 0; i < before.size(); ++i)
        if (chosen[i]) origins.insert(before[i].origins.begin(), before[i].origins.end());
    std::set<std::uint32_t> joined;
    for (const auto& thing : after)
        if (isAnyIn(thing, origins)) joined.insert(thing.origins.begin(), thing.origins.end());
    for (std::size_t i = 0; i < before.size(); ++i)
        chosen[i] = chosen[i] || isAnyIn(before[i], joined);
    return chosen;
}

/// Shares in which things of `after` show chosen things of `before`, both by their origins. An
/// origin that several things of `before` show belongs to each of them in equal parts.
template <typename List>
std::vector<double> sharesOf(const List& before, const std::vector<bool>& chosen,
                             const List& after) {
    struct Shown {
        double all = 0, chosen = 0;
    };
    std::unordered_map<std::uint32_t, Shown> origins;
    for (std::size_t i = 0; i < before.size(); ++i)
        for (const std::uint32_t origin : before[i].origins) {
            origins[origin].all += 1;
            origins[origin].chosen += chosen[i];
        }
    std::vector<double> shares;
    for (const auto& thing : after) {
        double share = 0;
        for (const std::uint32_t origin : thing.origins)
            if (const auto shown = origins.find(origin); shown != origins.end())
                share += shown->second.chosen / shown->second.all;
        shares.push_back(thing.origins.empty() ? 0
                                               : share / static_cast<double>(thing.origins.size()));
    }
    return shares;
}

void raise(Counts& counts, Measure measure, double value) {
    at(counts, measure) = std::max(at(counts, measure), value);
}

Counts difference(const Counts& before, const Counts& after) {
    Counts saved{};
    for (std::size_t m = 0; m < kMeasureCount; ++m) saved[m] = before[m] - after[m];
    return saved;
}

}  // namespace

Trial::Trial(const Scene& before, const Scene& after, const Target& target,
             const CountedViews& views)
    : target_(target), views_(views), before_(sideOf(before)), after_(sideOf(after)) {
    const ViewMeter meter(after, target);
    for (const CountedView& view : views.views()) {
        before_.views.push_back(viewOf(before_, view.cost));
        after_.views.push_back(
            viewOf(after_, views.isWholeScene() ? meter.wholeScene() : meter.cost(view.view)));
    }
}

Trial::Side Trial::sideOf(const Scene& scene) const {
    Side side;
    side.scene = &scene;
    side.images = imageKeys(scene);
    side.batches = batchesOf(scene, target_.batching);
    const TextureMemory textures(scene, target_);
    for (std::size_t i = 0; i < scene.images.size(); ++i) side.bytes.push_back(textures.of(i));
    for (const Asset& asset : scene.assets) {
        side.shown.emplace_back();
        for (std::size_t level = 0; level < asset.levelCount(); ++level) {
            std::set<std::uint32_t> images;
            for (const int material : materialsOf(*asset.level(level)))
                for (std::size_t u = 0;
                     material >= 0 && u < elementOf(scene.materials, material).textures.size(); ++u)
                    if (const int image =
                            scene.imageOf(elementOf(scene.materials, material).textures[u].texture);
                        image >= 0)
                        images.insert(static_cast<std::uint32_t>(image));
            side.shown.back().emplace_back(images.begin(), images.end());
        }
    }
    return side;
}

Trial::View Trial::viewOf(const Side& side, const ViewCost& cost) const {
    const Scene& scene = *side.scene;
    View view{cost.counts, {}, {}};
    std::unordered_map<std::uint32_t, std::size_t> itemOf;
    const auto itemFor = [&](std::uint32_t object, std::uint32_t level) -> Item& {
        const auto [at, isNew] = itemOf.try_emplace(object, view.items.size());
        if (isNew) {
            const auto asset = static_cast<std::uint32_t>(scene.objects[object].asset);
            view.items.push_back({object, 0, 0, 0, 0, asset, level, false});
        }
        return view.items[at->second];
    };
    const std::vector<double> calls = sharedCalls(scene, cost.drawn, side.batches);
    for (std::size_t d = 0; d < cost.drawn.size(); ++d) {
        const DrawnObject& drawn = cost.drawn[d];
        const Object& object = scene.objects[drawn.object];
        const Mesh& mesh = *scene.asset(object).level(drawn.level);
        Item& item = itemFor(drawn.object, drawn.level);
        item.triangles += static_cast<double>(mesh.triangles) * target_.eyes;
        item.calls += calls[d] * target_.passes();
        item.materials = static_cast<double>(materialCount(mesh));
        for (const Part& part : mesh.parts)
            item.vertices = std::max(item.vertices, static_cast<double>(part.vertexCount()));
        item.isDrawn = true;
    }
    for (const ShadowDraw& shadow : cost.shadows) {
        Item& item = itemFor(shadow.object, shadow.level);
        item.triangles += shadowTriangles(scene, shadow);
        item.calls += shadow.calls;
    }
    for (const DrawnLight& drawn : cost.lights)
        view.lights.push_back(
            {drawn.light, drawn.castsShadow ? 1.0 : 0.0, drawn.shadowTriangles, drawn.shadowCalls});
    return view;
}

/// Relief of views that count `countsOf(view)` instead of what they count before the fixes.
template <typename CountsOf>
Relief Trial::reliefTo(const CountsOf& countsOf) const {
    return views_.relief([&](const CountedView& view) {
        const auto v = static_cast<std::size_t>(&view - views_.views().data());
        return difference(before_.views[v].counts, countsOf(v));
    });
}

/// Counts of a view in which the chosen objects alone are replaced by their fixed versions.
Counts Trial::withObjects(std::size_t view, const std::vector<bool>& chosen,
                          const std::vector<double>& shares) const {
    Counts counts = before_.views[view].counts;
    for (const Measure measure : kMeasures)
        if (measure != Measure::Lights && measure != Measure::ShadowLights) at(counts, measure) = 0;
    std::map<ImageKey, double> images;
    const auto add = [&](const Side& side, const Item& item, double share) {
        at(counts, Measure::Triangles) += share * item.triangles;
        at(counts, Measure::DrawCalls) += share * item.calls;
        if (!item.isDrawn) return;
        at(counts, Measure::Objects) += share;
        raise(counts, Measure::MaterialsPerObject, item.materials);
        raise(counts, Measure::VerticesPerMesh, item.vertices);
        for (const std::uint32_t image : side.shown[item.asset][item.level]) {
            if (!images.emplace(side.images[image], side.bytes[image]).second) continue;
            const Image& shown = side.scene->images[image];
            raise(counts, Measure::TextureEdge, std::max(shown.width, shown.height));
        }
    };
    for (const Item& item : before_.views[view].items)
        if (!chosen[item.object]) add(before_, item, 1);
    for (const Item& item : after_.views[view].items)
        if (shares[item.object] > 0) add(after_, item, shares[item.object]);
    for (const auto& [key, bytes] : images) at(counts, Measure::TextureBytes) += bytes;
    return counts;
}

Counts Trial::withLights(std::size_t view, const std::vector<bool>& chosen,
                         const std::vector<double>& shares) const {
    Counts counts = before_.views[view].counts;
    const auto add = [&](const LightItem& item, double share) {
        at(counts, Measure::Lights) += share;
        at(counts, Measure::ShadowLights) += share * item.castsShadow;
        at(counts, Measure::Triangles) += share * item.triangles;
        at(counts, Measure::DrawCalls) += share * item.calls;
    };
    for (const LightItem& item : before_.views[view].lights)
        if (chosen[item.light]) add(item, -1);
    for (const LightItem& item : after_.views[view].lights) add(item, shares[item.light]);
    return counts;
}

/// `chosen`: [images of before].
Counts Trial::withImages(std::size_t view, const std::vector<bool>& chosen) const {
    std::set<Hash> sources;
    for (std::size_t i = 0; i < chosen.size(); ++i)
        if (chosen[i]) sources.insert(before_.scene->images[i].source());
    Counts counts = before_.views[view].counts;
    at(counts, Measure::TextureBytes) = 0;
    at(counts, Measure::TextureEdge) = 0;
    std::map<ImageKey, double> images;
    const auto add = [&](const Side& side, const auto& isWanted) {
        for (const Item& item : side.views[view].items) {
            if (!item.isDrawn) continue;
            for (const std::uint32_t image : side.shown[item.asset][item.level]) {
                if (!isWanted(image)) continue;
                if (!images.emplace(side.images[image], side.bytes[image]).second) continue;
                const Image& shown = side.scene->images[image];
                raise(counts, Measure::TextureEdge, std::max(shown.width, shown.height));
            }
        }
    };
    add(before_, [&](std::uint32_t image) { return !chosen[image]; });
    add(after_, [&](std::uint32_t image) {
        return sources.contains(after_.scene->images[image].source());
    });
    for (const auto& [key, bytes] : images) at(counts, Measure::TextureBytes) += bytes;
    return counts;
}

Relief Trial::objectRelief(const std::vector<bool>& chosen) const {
    const auto all = withJoined(before_.scene->objects, chosen, after_.scene->objects);
    const auto shares = sharesOf(before_.scene->objects, all, after_.scene->objects);
    return reliefTo([&](std::size_t view) { return withObjects(view, all, shares); });
}

Relief Trial::lightRelief(const std::vector<bool>& chosen) const {
    const auto all = withJoined(before_.scene->placedLights, chosen, after_.scene->placedLights);
    const auto shares = sharesOf(before_.scene->placedLights, all, after_.scene->placedLights);
    return reliefTo([&](std::size_t view) { return withLights(view, all, shares); });
}

Relief Trial::imageRelief(const std::vector<bool>& chosen) const {
    return reliefTo([&](std::size_t view) { return withImages(view, chosen); });
}

Relief Trial::relief(const std::vector<Subject>& subjects) const {
    const Scene& scene = *before_.scene;
    std::vector<bool> objects(scene.objects.size(), false);
    std::vector<bool> lights(scene.placedLights.size(), false);
    std::vector<bool> images(scene.images.size(), false);
    std::set<int> assets;
    std::set<int> materials;
    for (const Subject& subject : subjects) switch (subject.kind) {
            case Subject::Kind::Scene:
                return whole();
            case Subject::Kind::Asset:
                assets.insert(static_cast<int>(subject.index));
                break;
            case Subject::Kind::Object:
                objects[subject.index] = true;
                break;
            case Subject::Kind::Image:
                images[subject.index] = true;
                break;
            case Subject::Kind::Material:
                materials.insert(static_cast<int>(subject.index));
                break;
            case Subject::Kind::Light:
                lights[subject.index] = true;
                break;
        }
    const Subject::Kind kind = subjects.front().kind;
    if (kind == Subject::Kind::Light) return lightRelief(lights);
    if (kind == Subject::Kind::Image) return imageRelief(images);
    for (std::size_t a = 0; !materials.empty() && a < scene.assets.size(); ++a)
        for (std::size_t level = 0; level < scene.assets[a].levelCount(); ++level)
            for (const int material : materialsOf(*scene.assets[a].level(level)))
                if (materials.contains(material)) assets.insert(static_cast<int>(a));
    for (std::size_t i = 0; i < objects.size(); ++i)
        if (assets.contains(scene.objects[i].asset)) objects[i] = true;
    return objectRelief(objects);
}

Relief Trial::whole() const {
    return reliefTo([&](std::size_t view) { return after_.views[view].counts; });
}

namespace {

/// Fixes that are applied one after the other.
using Fixes = std::vector<FixSettings>;

std::string keyOf(const Fixes& fixes) {
    std::string key;
    for (const FixSettings& fix : fixes) key += fix.kind().key + toJson(fix).dump();
    return key;
}

/// One way to cure a finding.
struct Attempt {
    Finding* finding = nullptr;
    Fixes fixes;            ///< As the finding proposes them.
    std::string shared;     ///< Key of what is applied: with those of other findings of its rule.
    std::size_t place = 0;  ///< Among the finding's proposals.
};

/// What findings propose. Settings of one rule's findings are joined, so that they share a trial.
class Attempts {
public:
    explicit Attempts(Diagnosis& diagnosis) {
        std::map<Proposal, FixSettings> joined;
        for (const Finding& finding : diagnosis.findings)
            for (const auto& [proposal, fix] : proposalsOf(finding)) {
                const auto [at, isNew] = joined.try_emplace(proposal, fix);
                if (!isNew) at->second = mergeSettings(at->second, fix);
            }
        for (Finding& finding : diagnosis.findings) {
            std::size_t place = 0;
            for (const auto& [proposal, fix] : proposalsOf(finding)) {
                Attempt attempt{&finding, finding.preparations, {}, place++};
                Fixes applied = finding.preparations;
                attempt.fixes.push_back(fix);
                applied.push_back(joined.at(proposal));
                attempt.shared = keyOf(applied);
                trials_.try_emplace(attempt.shared, std::move(applied));
                attempts_.push_back(std::move(attempt));
            }
        }
    }

    [[nodiscard]] const std::map<std::string, Fixes>& trials() const { return trials_; }
    [[nodiscard]] const std::vector<Attempt>& all() const { return attempts_; }

private:
    /// The rule, the kind of fix, and which of its kind: one may be proposed in several ways.
    using Proposal = std::tuple<const Rule*, const FixKind*, std::size_t>;

    static std::vector<std::pair<Proposal, FixSettings>> proposalsOf(const Finding& finding) {
        std::vector<std::pair<Proposal, FixSettings>> proposals;
        if (!finding.fix || finding.rule->namesOnly) return proposals;
        std::map<const FixKind*, std::size_t> ofKind;
        const auto add = [&](const FixSettings& fix) {
            proposals.emplace_back(Proposal{finding.rule, &fix.kind(), ofKind[&fix.kind()]++}, fix);
        };
        add(*finding.fix);
        for (const FixSettings& other : finding.alternatives) add(other);
        return proposals;
    }

    std::map<std::string, Fixes> trials_;  ///< By key.
    std::vector<Attempt> attempts_;
};

/// The scene after these fixes. Errors: Cancelled, and those of the fixes.
Expected<Scene> apply(const Scene& scene, const Fixes& fixes, const Target& target,
                      const Evidence& evidence, Progress& progress) {
    Scene result = scene;
    for (std::size_t i = 0; i < fixes.size(); ++i) {
        const auto count = static_cast<double>(fixes.size());
        SubProgress step(progress, static_cast<double>(i) / count,
                         (static_cast<double>(i) + 1) / count);
        auto fixed = fixes[i].kind().apply({result, target, evidence, step}, fixes[i]);
        if (!fixed) return tl::unexpected(fixed.error());
        result = std::move(fixed->scene);
    }
    return result;
}

/// What a finding becomes when its fixes have been applied.
struct Tried {
    std::optional<FixSettings> fix;
    Relief relief;
    double over = 0;        ///< Load off what is over.
    double any = 0;         ///< Load off anything.
    std::size_t place = 0;  ///< Among the finding's proposals: the first of equal ones is taken.

    [[nodiscard]] bool isBetterThan(const Tried& other) const {
        constexpr double kRounding = 1e-9;
        if (std::fabs(over - other.over) > kRounding) return over > other.over;
        if (std::fabs(any - other.any) > kRounding) return any > other.any;
        return place < other.place;
    }
};

/// Load that a relief takes off all measures in the mean of the views.
double meanReliefOf(const Relief& relief, const Target& target) {
    Relief mean;
    mean.worst = relief.mean;
    return anyReliefOf(mean, target);
}

/// Of the fixes that were tried, the one that takes most off the measure that is over.
void proposeBest(Finding& finding, const Diagnosis& diagnosis) {
    double most = 0;
    finding.fix.reset();
    for (const Diagnosis::Trial& trial : diagnosis.trials) {
        const double saved = at(trial.relief.worst, *finding.over);
        if (saved <= most) continue;
        most = saved;
        finding.fix = trial.fixes.back();
        finding.preparations.assign(trial.fixes.begin(), trial.fixes.end() - 1);
    }
}

}  // namespace

Expected<void> tryFixes(Diagnosis& diagnosis, const Scene& scene, const Target& target,
                        const Survey* survey, const std::optional<Viewpoint>& here,
                        Progress& progress, const Evidence* known) {
    constexpr double kNothing = 0.005;  ///< Of a limit: less is not shown.
    const SceneIndex index(scene);
    const CountedViews views(scene, target, index, survey, here);
    const Evidence evidence = known ? *known : survey ? evidenceOf(*survey, scene) : Evidence{};
    Diagnosis tried = diagnosis;
    tried.trials.clear();
    const Attempts attempts(tried);
    std::map<const Finding*, Tried> best;
    double done = 0;
    for (const auto& [key, fixes] : attempts.trials()) {
        const auto count = static_cast<double>(attempts.trials().size());
        SubProgress step(progress, done / count, (done + 1) / count);
        done += 1;
        const auto after = apply(scene, fixes, target, evidence, step);
        if (progress.cancelled()) return stopped("Trying fixes");
        if (!after) continue;  // what cannot be applied keeps its upper bound
        const Trial trial(scene, *after, target, views);
        tried.trials.push_back({fixes, trial.whole()});
        for (const Attempt& attempt : attempts.all()) {
            if (attempt.shared != key) continue;
            Finding measured = *attempt.finding;
            measured.relief = trial.relief(measured.subjects);
            const Tried now{attempt.fixes.back(), measured.relief, tried.reliefOf(measured, target),
                            anyReliefOf(measured.relief, target), attempt.place};
            const auto [at, isFirst] = best.try_emplace(attempt.finding, now);
            if (!isFirst && now.isBetterThan(at->second)) at->second = now;
        }
    }
    for (Finding& finding : tried.findings) {
        const auto found = best.find(&finding);
        if (found == best.end()) continue;
        const bool promised = anyReliefOf(finding.relief, target) > kNothing;
        finding.relief = found->second.relief;
        finding.fix = found->second.fix;
        finding.alternatives.clear();
        finding.isExact = finding.isTried = true;
        const bool takesOff = found->second.any > kNothing || found->second.over > kNothing ||
                              meanReliefOf(finding.relief, target) > kNothing;
        if (takesOff || !(promised || finding.rule->needsRelief)) continue;
        finding.withdrawn = finding.fix->kind().name;
        finding.fix.reset();
    }
    std::erase_if(tried.findings, [](const Finding& finding) {
        return finding.rule->needsRelief && !finding.withdrawn.empty();
    });
    for (Finding& finding : tried.findings)
        if (finding.over) proposeBest(finding, tried);
    tried.settle(target);
    diagnosis = std::move(tried);
    return {};
}

}  // namespace flentro
