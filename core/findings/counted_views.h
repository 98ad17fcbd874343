// The views in which findings count what they would save: where each measure is worst, the present
// one, and a sample of those that a survey has reached.

#pragma once

#include <optional>
#include <span>

#include "base/index.h"
#include "findings/ranking.h"
#include "findings/scene_index.h"
#include "survey/survey.h"

namespace flentro {

struct CountedView {
    Viewpoint view;
    double weight = 0;  ///< In the mean.
    std::string spot;   ///< Name of its spot; empty: the present view, or the whole scene.
    ViewCost cost;
    /// [assets] What each adds, shadow passes included; those not drawn have no copies.
    std::vector<CostShare> assets;
    /// Drawn objects by asset.
    std::vector<DrawnObject> drawn;
    std::vector<std::uint32_t> firstDrawn;  ///< [assets + 1] In `drawn`.
    std::vector<std::uint32_t> shadows;     ///< [objects] 1 + index in cost.shadows; 0: of none.
    std::vector<bool> images;               ///< [images] Shown by what is drawn.

    [[nodiscard]] std::span<const DrawnObject> drawnOf(std::size_t asset) const {
        return std::span(drawn).subspan(firstDrawn[asset],
                                        firstDrawn[asset + 1] - firstDrawn[asset]);
    }
    /// What shadow passes draw of an object; no passes where none does.
    [[nodiscard]] ShadowDraw shadowOf(std::uint32_t object) const {
        return shadows[object] == 0 ? ShadowDraw{object} : cost.shadows[shadows[object] - 1];
    }
};

/// Adds triangles and draw calls of the shadow passes that draw an object.
void addShadowCost(const Scene& scene, const ShadowDraw& shadow, Counts& counts);

/// What something takes off counted views, as counts of each measure.
struct Relief {
    Counts here{};   ///< In the present view.
    Counts worst{};  ///< For each measure in the view where that is worst.
    /// Over all views of the survey, told from an even sample of them: a ratio estimate, which is
    /// exact where the share that is taken off is the same in all. Without one as `here`, or of the
    /// whole scene.
    Counts mean{};
};

class CountedViews {
public:
    /// A view of a survey: spot, and view there.
    using ViewIndex = std::pair<std::size_t, std::size_t>;

    /// Without a survey and without a present view the whole scene is counted at once. Scene and
    /// target must outlive it. Cost: a ViewMeter, and a count for each of at most 70 views.
    CountedViews(const Scene& scene, const Target& target, const SceneIndex& index,
                 const Survey* survey, const std::optional<Viewpoint>& here);

    [[nodiscard]] std::span<const CountedView> views() const { return views_; }
    /// The view where a measure is worst.
    [[nodiscard]] const CountedView& worst(Measure measure) const {
        return views_[elementOf(worst_, measure)];
    }
    /// Counts of each measure where it is worst, and their loads.
    [[nodiscard]] const Counts& counts() const { return counts_; }
    [[nodiscard]] const Counts& loads() const { return loads_; }
    [[nodiscard]] bool isSurveyed() const { return surveyed_; }
    /// True where the only view is the whole scene at once.
    [[nodiscard]] bool isWholeScene() const { return !surveyed_ && !here_; }

    /// What is taken off, as `saved` tells of each view.
    template <typename Saved>
    [[nodiscard]] Relief relief(const Saved& saved) const {
        Relief relief;
        std::vector<Counts> each;
        for (const CountedView& view : views_) each.push_back(saved(view));
        for (std::size_t m = 0; m < kMeasureCount; ++m) {
            relief.worst[m] = each[worst_[m]][m];
            if (here_) relief.here[m] = each[*here_][m];
            for (std::size_t v = 0; v < views_.size(); ++v)
                relief.mean[m] += views_[v].weight * meanScale_[m] * each[v][m];
        }
        return relief;
    }
    /// Views in which `weight` is highest, at most three, those with none left out.
    [[nodiscard]] std::vector<Viewpoint> highest(
        const std::function<double(const CountedView&)>& weight) const;

private:
    void add(const Viewpoint& view, const std::string& spot, ViewCost cost);
    void scaleMeans(const Survey& survey, const std::vector<ViewIndex>& even);

    const Scene& scene_;
    const Target& target_;
    const SceneIndex& index_;
    std::vector<CountedView> views_;
    std::optional<std::size_t> here_;
    std::array<std::size_t, kMeasureCount> worst_{};
    Counts counts_{};
    Counts loads_{};
    /// Mean of each measure over all views of the survey, by that over the sample.
    Counts meanScale_{};
    bool surveyed_ = false;
};

}  // namespace flentro
