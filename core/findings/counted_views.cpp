#include "findings/counted_views.h"

#include <algorithm>
#include <set>

#include "base/index.h"

namespace flentro {
namespace {

constexpr std::size_t kSampledSpots = 24;

/// Views to count of a survey: where each measure is worst, and the worst of some spots.
std::set<std::pair<std::size_t, std::size_t>> chosenViews(const Survey& survey) {
    std::set<std::pair<std::size_t, std::size_t>> chosen;
    for (const Measure measure : kMeasures)
        if (const auto worst = worstOf(survey, measure)) chosen.emplace(worst->spot, worst->view);
    std::vector<std::size_t> done;
    for (std::size_t s = 0; s < survey.spots.size(); ++s)
        if (survey.spots[s].done) done.push_back(s);
    const std::size_t step = std::max<std::size_t>(1, done.size() / kSampledSpots);
    for (std::size_t i = 0; i < done.size(); i += step)
        chosen.emplace(done[i], survey.spots[done[i]].worstView(survey.target));
    return chosen;
}

}  // namespace

CountedViews::CountedViews(const Scene& scene, const Target& target, const SceneIndex& index,
                           const Survey* survey, const std::optional<Viewpoint>& here)
    : scene_(scene), target_(target), index_(index) {
    const ViewMeter meter(scene, target);
    surveyed_ = survey && survey->doneCount() > 0;
    if (surveyed_)
        for (const auto& [spot, view] : chosenViews(*survey)) {
            const SpotResult& result = survey->spots[spot];
            add(result.views[view], result.name, meter.cost(result.views[view]));
        }
    if (here) {
        here_ = views_.size();
        add(*here, "", meter.cost(*here));
    }
    if (views_.empty()) add({}, "", meter.wholeScene());
    for (std::size_t m = 0; m < kMeasureCount; ++m) {
        // The present view may be one that no player reaches: it judges only by itself.
        const std::size_t judged = surveyed_ && here_ ? views_.size() - 1 : views_.size();
        for (std::size_t v = 0; v < judged; ++v)
            if (views_[v].cost.counts[m] > views_[worst_[m]].cost.counts[m]) worst_[m] = v;
        counts_[m] = views_[worst_[m]].cost.counts[m];
    }
    loads_ = flentro::loads(counts_, target);
}

void CountedViews::add(const Viewpoint& view, const std::string& spot, ViewCost cost) {
    CountedView counted;
    counted.view = view;
    counted.spot = spot;
    counted.assets.resize(scene_.assets.size());
    for (CostShare& share : rank(scene_, target_, cost, CostKind::Asset, Measure::Triangles))
        counted.assets[share.index] = std::move(share);
    counted.drawn = cost.drawn;
    const auto assetOf = [this](const DrawnObject& drawn) {
        return static_cast<std::size_t>(scene_.objects[drawn.object].asset);
    };
    std::stable_sort(
        counted.drawn.begin(), counted.drawn.end(),
        [&](const DrawnObject& a, const DrawnObject& b) { return assetOf(a) < assetOf(b); });
    counted.firstDrawn.assign(scene_.assets.size() + 1, 0);
    for (const DrawnObject& drawn : counted.drawn) ++counted.firstDrawn[assetOf(drawn) + 1];
    for (std::size_t a = 0; a < scene_.assets.size(); ++a)
        counted.firstDrawn[a + 1] += counted.firstDrawn[a];
    counted.passes.assign(scene_.objects.size(), 0);
    counted.shadowCalls.assign(scene_.objects.size(), 0);
    for (const ShadowDraw& shadow : cost.shadows) {
        counted.passes[shadow.object] = shadow.passes;
        counted.shadowCalls[shadow.object] = shadow.calls;
    }
    counted.images.assign(scene_.images.size(), false);
    for (const DrawnObject& drawn : cost.drawn)
        for (const Part& part : scene_.assets[assetOf(drawn)].level(drawn.level)->parts)
            if (part.material >= 0)
                for (const std::uint32_t image : elementOf(index_.imagesOf, part.material))
                    counted.images[image] = true;
    counted.cost = std::move(cost);
    views_.push_back(std::move(counted));
}

std::vector<Viewpoint> CountedViews::highest(
    const std::function<double(const CountedView&)>& weight) const {
    constexpr std::size_t kShown = 3;
    std::vector<std::pair<double, std::size_t>> all;
    for (std::size_t v = 0; v < views_.size(); ++v)
        if (const double value = weight(views_[v]); value > 0) all.emplace_back(-value, v);
    std::sort(all.begin(), all.end());
    std::vector<Viewpoint> best;
    for (std::size_t i = 0; i < std::min(kShown, all.size()); ++i)
        best.push_back(views_[all[i].second].view);
    return best;
}

}  // namespace flentro
