#include "findings/counted_views.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"

namespace flentro {
namespace {

constexpr std::size_t kSampledSpots = 24;
constexpr std::size_t kSampledViews = 32;

using ViewIndex = CountedViews::ViewIndex;

/// The headings all around of all spots that are done; the worst between them is left out, as it
/// would count twice in a mean.
std::vector<ViewIndex> evenViews(const Survey& survey) {
    std::vector<ViewIndex> views;
    for (std::size_t s = 0; s < survey.spots.size(); ++s) {
        const SpotResult& spot = survey.spots[s];
        if (!spot.done) continue;
        const auto headings = static_cast<std::size_t>(survey.settings.headings);
        for (std::size_t v = 0; v < std::min(headings, spot.views.size()); ++v)
            views.emplace_back(s, v);
    }
    return views;
}

/// The views to count of a survey, with their weight in the mean: where each measure is worst, the
/// worst of some spots, and a sample of `even` ones.
std::map<ViewIndex, double> chosenViews(const Survey& survey, const std::vector<ViewIndex>& even) {
    std::map<ViewIndex, double> chosen;
    for (const Measure measure : kMeasures)
        if (const auto worst = worstOf(survey, measure)) chosen[{worst->spot, worst->view}] = 0;
    std::vector<std::size_t> done;
    for (std::size_t s = 0; s < survey.spots.size(); ++s)
        if (survey.spots[s].done) done.push_back(s);
    const std::size_t step = std::max<std::size_t>(1, done.size() / kSampledSpots);
    for (std::size_t i = 0; i < done.size(); i += step)
        chosen[{done[i], survey.spots[done[i]].worstView(survey.target)}] = 0;
    // Steps of the golden ratio fall on no heading more often than on others.
    const std::size_t sampled = std::min(kSampledViews, even.size());
    for (std::size_t k = 0; k < sampled; ++k) {
        const double steps = static_cast<double>(k) * 0.6180339887498949;
        const double share = steps - std::floor(steps);
        const std::size_t at =
            sampled == even.size()
                ? k
                : static_cast<std::size_t>(share * static_cast<double>(even.size()));
        chosen[even[at]] += 1.0 / static_cast<double>(sampled);
    }
    return chosen;
}

}  // namespace

CountedViews::CountedViews(const Scene& scene, const Target& target, const SceneIndex& index,
                           const Survey* survey, const std::optional<Viewpoint>& here)
    : scene_(scene), target_(target), index_(index) {
    const ViewMeter meter(scene, target);
    meanScale_.fill(1);
    surveyed_ = survey && survey->doneCount() > 0;
    if (surveyed_) {
        const std::vector<ViewIndex> even = evenViews(*survey);
        for (const auto& [chosen, weight] : chosenViews(*survey, even)) {
            const SpotResult& result = survey->spots[chosen.first];
            add(result.views[chosen.second], result.name, meter.cost(result.views[chosen.second]));
            views_.back().weight = weight;
        }
        scaleMeans(*survey, even);
    }
    if (here) {
        here_ = views_.size();
        add(*here, "", meter.cost(*here));
    }
    if (views_.empty()) add({}, "", meter.wholeScene());
    if (!surveyed_) views_.front().weight = 1;
    for (std::size_t m = 0; m < kMeasureCount; ++m) {
        // The present view may be one that no player reaches: it judges only by itself.
        const std::size_t judged = surveyed_ && here_ ? views_.size() - 1 : views_.size();
        for (std::size_t v = 0; v < judged; ++v)
            if (views_[v].cost.counts[m] > views_[worst_[m]].cost.counts[m]) worst_[m] = v;
        counts_[m] = views_[worst_[m]].cost.counts[m];
    }
    loads_ = flentro::loads(counts_, target);
}

void CountedViews::scaleMeans(const Survey& survey, const std::vector<ViewIndex>& even) {
    Counts all{}, sampled{};
    for (std::size_t m = 0; m < kMeasureCount; ++m) {
        for (const auto& [spot, view] : even)
            all[m] += survey.spots[spot].tallies[view].counts[m] / static_cast<double>(even.size());
        for (const CountedView& view : views_) sampled[m] += view.weight * view.cost.counts[m];
        if (sampled[m] > 0) meanScale_[m] = all[m] / sampled[m];
    }
}

void addShadowCost(const Scene& scene, const ShadowDraw& shadow, Counts& counts) {
    at(counts, Measure::Triangles) += shadowTriangles(scene, shadow);
    at(counts, Measure::DrawCalls) += shadow.calls;
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
    counted.shadows.assign(scene_.objects.size(), 0);
    for (std::uint32_t i = 0; i < cost.shadows.size(); ++i)
        counted.shadows[cost.shadows[i].object] = i + 1;
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
