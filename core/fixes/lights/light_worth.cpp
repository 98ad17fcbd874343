#include "fixes/lights/light_worth.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "measure/view_meter.h"

namespace flentro {

std::vector<std::vector<LightWorth>> worthOfLights(const LightMatrix& matrix, const Scene& scene,
                                                   WorthOf what) {
    const ArrivingLight arriving(scene, matrix);
    const auto rays = static_cast<float>(matrix.raysOfView());
    std::vector<std::vector<LightWorth>> worth(matrix.eyes().size());
    for (std::size_t place = 0; place < worth.size(); ++place) {
        std::map<std::uint32_t, std::array<float, EyeVisibility::kMaxViews>> ofLight;
        const double adapted = matrix.adaptation(place);
        for (std::size_t p = matrix.firstPoint(place); p < matrix.firstPoint(place + 1); ++p) {
            const LightMatrix::Point& point = matrix.points()[p];
            double all = 0;
            for (const LightMatrix::Entry& entry : matrix.entriesOf(p))
                all += arriving.lux(point, entry);
            for (const LightMatrix::Entry& entry : matrix.entriesOf(p)) {
                const int light = arriving.placedOf(entry.light);
                if (light < 0) continue;
                const double here = arriving.lux(point, entry);
                const double then = what == WorthOf::Light
                                        ? all - here
                                        : all - here + arriving.luxWithoutShadow(point, entry);
                const double by = displayOf(then, adapted) - displayOf(all, adapted);
                if (by == 0) continue;
                const auto index = static_cast<std::uint32_t>(light);
                ofLight.try_emplace(index).first->second[point.view] +=
                    static_cast<float>(std::fabs(by)) / rays;
            }
        }
        for (const auto& [light, views] : ofLight)
            worth[place].push_back({light, std::accumulate(views.begin(), views.end(), 0.0F),
                                    *std::max_element(views.begin(), views.end())});
    }
    return worth;
}

std::vector<float> mostInAnyView(const std::vector<std::vector<LightWorth>>& worth,
                                 std::size_t lights) {
    std::vector<float> most(lights, 0);
    for (const std::vector<LightWorth>& place : worth)
        for (const LightWorth& w : place) most[w.light] = std::max(most[w.light], w.worstView);
    return most;
}

std::vector<std::vector<LightWorth>> guessWorth(const Scene& scene, std::span<const Vec3d> eyes) {
    std::vector<std::vector<LightWorth>> worth(eyes.size());
    for (std::size_t e = 0; e < eyes.size(); ++e)
        for (std::uint32_t l = 0; l < scene.placedLights.size(); ++l) {
            const PlacedLight& light = scene.placedLights[l];
            const double away = std::max(1.0, (light.position - eyes[e]).norm());
            const double across = std::isfinite(light.range) ? light.range / away : 1;
            const auto share = static_cast<float>(std::min(1.0, across * across));
            worth[e].push_back({l, share, share});
        }
    return worth;
}

namespace {

/// Worst changes of groups over some places; scratch memory of one thread.
class GroupChanges {
public:
    GroupChanges(const LightMatrix& matrix, const ArrivingLight& was, const ArrivingLight& is,
                 const std::vector<int>& groupOf, std::size_t groups)
        : matrix_(matrix),
          was_(was),
          is_(is),
          groupOf_(groupOf),
          worst_(groups, 0),
          ofView_(groups * EyeVisibility::kMaxViews, 0) {}

    void look(std::size_t place) {
        for (std::size_t p = matrix_.firstPoint(place); p < matrix_.firstPoint(place + 1); ++p)
            look(matrix_.points()[p], matrix_.entriesOf(p), matrix_.adaptation(place));
        for (const std::size_t slot : touched_) {
            double& most = worst_[slot / EyeVisibility::kMaxViews];
            most = std::max(most, ofView_[slot] / matrix_.raysOfView());
            ofView_[slot] = 0;
        }
        touched_.clear();
    }
    [[nodiscard]] const std::vector<double>& worst() const { return worst_; }

private:
    void look(const LightMatrix::Point& point, std::span<const LightMatrix::Entry> entries,
              double adapted) {
        by_.clear();
        double all = 0;
        for (const LightMatrix::Entry& entry : entries) {
            const double lux = was_.lux(point, entry);
            all += lux;
            const int light = was_.placedOf(entry.light);
            const int group = light < 0 ? -1 : elementOf(groupOf_, light);
            const double change = group < 0 ? 0 : is_.lux(point, entry) - lux;
            if (change == 0) continue;
            const auto known = std::find_if(by_.begin(), by_.end(),
                                            [&](const auto& one) { return one.first == group; });
            if (known == by_.end())
                by_.emplace_back(group, change);
            else
                known->second += change;
        }
        for (const auto& [group, change] : by_) {
            const std::size_t slot =
                static_cast<std::size_t>(group) * EyeVisibility::kMaxViews + point.view;
            if (ofView_[slot] == 0) touched_.push_back(slot);
            ofView_[slot] += std::fabs(displayOf(std::max(0.0, all + change), adapted) -
                                       displayOf(all, adapted));
        }
    }

    const LightMatrix& matrix_;
    const ArrivingLight& was_;
    const ArrivingLight& is_;
    const std::vector<int>& groupOf_;
    std::vector<double> worst_;               ///< [groups]
    std::vector<double> ofView_;              ///< [groups][views] Of the present place.
    std::vector<std::size_t> touched_;        ///< Of ofView_.
    std::vector<std::pair<int, double>> by_;  ///< Groups at the present point.
};

}  // namespace

std::vector<double> worstChanges(const LightMatrix& matrix, const Scene& before, const Scene& after,
                                 const std::vector<int>& groupOf) {
    constexpr std::size_t kChunk = 64;  // places
    const ArrivingLight was(before, matrix);
    const ArrivingLight is(after, matrix);
    std::size_t groups = 0;
    for (const int group : groupOf) groups = std::max(groups, static_cast<std::size_t>(group + 1));
    const std::size_t places = matrix.eyes().size();
    std::vector<std::vector<double>> found((places + kChunk - 1) / kChunk);
    parallelRanges(places, kChunk, [&](std::size_t begin, std::size_t end) {
        GroupChanges changes(matrix, was, is, groupOf, groups);
        for (std::size_t place = begin; place < end; ++place) changes.look(place);
        found[begin / kChunk] = changes.worst();
    });
    std::vector<double> worst(groups, 0);
    for (const std::vector<double>& chunk : found)
        for (std::size_t g = 0; g < chunk.size(); ++g) worst[g] = std::max(worst[g], chunk[g]);
    return worst;
}

std::string describeChange(const LightMatrix& matrix, const LightingChange& change) {
    if (!(change.worst > 0)) return "no view changes";
    const Vec3d& eye = matrix.eyes()[change.place];
    return fmt::format(
        "the light in views changes by {} of the display's range in the mean and by {} in the "
        "worst "
        "(from {:.1f}, {:.1f}, {:.1f})",
        formatShare(change.mean), formatShare(change.worst), eye.x(), eye.y(), eye.z());
}

}  // namespace flentro
