#include "fixes/light_reach/light_reach.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/index.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/lights/light_limits.h"
#include "fixes/lights/light_report.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr double kMinRange = 0.25;  ///< Metres.
constexpr int kHalvings = 7;        ///< Of the span in which a range is sought.
constexpr int kRounds = 4;
constexpr double kBeyond = 4;  ///< Times the farthest point seen lit: nothing is cut there.

/// Metres at which a light still adds so much (inverse square law).
double reachAt(const Light& light, double lux) {
    const double candela =
        static_cast<double>(light.intensity) * static_cast<double>(light.color.maxCoeff());
    return std::sqrt(std::max(candela, 0.0) / lux);
}

/// Lights of a scene by their definition: what shares one gets one range.
class Ranges {
public:
    explicit Ranges(const Scene& scene) : scene_(scene), isFree_(scene.lights.size(), true) {
        const std::vector<bool> moving = movingNodes(scene);
        for (const PlacedLight& placed : scene.placedLights) {
            const auto light = static_cast<std::size_t>(placed.light);
            const bool isSun = scene.lights[light].type == LightType::Directional;
            if (isSun || elementOf(moving, placed.node)) isFree_[light] = false;
            moving_ += elementOf(moving, placed.node);
        }
    }

    [[nodiscard]] std::size_t movingLights() const { return moving_; }

    /// [placed lights] Its definition, -1 for those that stay.
    [[nodiscard]] std::vector<int> groups() const {
        std::vector<int> groups;
        for (const PlacedLight& placed : scene_.placedLights)
            groups.push_back(elementOf(isFree_, placed.light) ? placed.light : -1);
        return groups;
    }

    /// The scene with these ranges [lights] where they are shorter.
    [[nodiscard]] Scene apply(const std::vector<double>& ranges) const {
        Scene scene = scene_;
        for (std::size_t l = 0; l < ranges.size(); ++l) {
            Light& light = scene.lights[l];
            const auto range = static_cast<float>(std::max(ranges[l], kMinRange));
            if (!isFree_[l] || !(range < light.range)) continue;
            light.range = range;
            light.rest["range"] = range;
        }
        for (PlacedLight& placed : scene.placedLights) {
            const auto light = static_cast<std::size_t>(placed.light);
            if (isFree_[light]) placed.range = static_cast<double>(scene.lights[light].range);
        }
        return scene;
    }

private:
    const Scene& scene_;
    std::vector<bool> isFree_;  ///< [lights]
    std::size_t moving_ = 0;
};

/// [lights] Ranges at which nothing seen is cut: the author's, or far beyond what is seen lit.
std::vector<double> longestRanges(const Scene& scene, const LightMatrix& matrix) {
    const ArrivingLight arriving(scene, matrix);
    std::vector<double> seen(scene.lights.size(), kMinRange);
    for (std::size_t p = 0; p < matrix.points().size(); ++p)
        for (const LightMatrix::Entry& entry : matrix.entriesOf(p)) {
            const int placed = arriving.placedOf(entry.light);
            if (placed < 0) continue;
            const PlacedLight& light = elementOf(scene.placedLights, placed);
            double& reach = elementOf(seen, light.light);
            const Vec3d at = matrix.points()[p].at.cast<double>();
            reach = std::max(reach, (light.position - at).norm());
        }
    std::vector<double> ranges;
    for (std::size_t l = 0; l < seen.size(); ++l)
        ranges.push_back(std::min(static_cast<double>(scene.lights[l].range), kBeyond * seen[l]));
    return ranges;
}

/// Ranges as short as views allow: each definition by bisection, all at once, with an allowance
/// that shrinks until all together change no view by more than `maxChange`.
class Search {
public:
    Search(const Scene& scene, const Ranges& ranges, const LightMatrix& matrix, double maxChange)
        : scene_(scene),
          ranges_(ranges),
          matrix_(matrix),
          maxChange_(maxChange),
          longest_(longestRanges(scene, matrix)),
          groups_(ranges.groups()) {}

    /// The scene as it was where nothing can be shortened; nothing if cancelled.
    [[nodiscard]] std::optional<Scene> run(Progress& progress) const {
        double allowance = maxChange_;
        for (int round = 0; round < kRounds; ++round) {
            const auto found = bisect(allowance, progress, round);
            if (!found) return std::nullopt;
            Scene result = ranges_.apply(*found);
            const double change = lightingChange(matrix_, scene_, result).worst;
            if (change <= maxChange_) return result;
            allowance *= 0.8 * maxChange_ / change;
        }
        return scene_;
    }

private:
    [[nodiscard]] std::optional<std::vector<double>> bisect(double allowance, Progress& progress,
                                                            int round) const {
        std::vector<double> low(longest_.size(), 0);
        std::vector<double> high(longest_.size(), 1);
        for (int i = 0; i < kHalvings; ++i) {
            if (progress.cancelled()) return std::nullopt;
            progress.report((round + static_cast<double>(i) / kHalvings) / kRounds,
                            "Shortening lights");
            std::vector<double> tried(longest_.size());
            for (std::size_t l = 0; l < tried.size(); ++l)
                tried[l] = longest_[l] * (low[l] + high[l]) / 2;
            const std::vector<double> changes =
                worstChanges(matrix_, scene_, ranges_.apply(tried), groups_);
            for (std::size_t l = 0; l < tried.size(); ++l) {
                const bool isFine = l >= changes.size() || changes[l] <= allowance;
                (isFine ? high : low)[l] = (low[l] + high[l]) / 2;
            }
        }
        std::vector<double> found(longest_.size());
        for (std::size_t l = 0; l < found.size(); ++l) found[l] = longest_[l] * high[l];
        return found;
    }

    const Scene& scene_;
    const Ranges& ranges_;
    const LightMatrix& matrix_;
    const double maxChange_;
    const std::vector<double> longest_;  ///< [lights]
    const std::vector<int> groups_;      ///< [placed lights]
};

std::string summaryOf(const Scene& before, const Scene& after) {
    std::size_t shorter = 0;
    std::size_t endless = 0;
    for (std::size_t i = 0; i < before.placedLights.size(); ++i) {
        const double range = before.placedLights[i].range;
        if (!(after.placedLights[i].range < range)) continue;
        ++shorter;
        endless += !std::isfinite(range);
    }
    return fmt::format("{} end sooner{}", countOf(shorter, before.placedLights.size(), "light"),
                       endless > 0 ? fmt::format(", {} of them had no range", endless) : "");
}

}  // namespace

Expected<Fixed> applyLightReach(const Scene& scene, const LightReachSettings& settings,
                                const Evidence& evidence, Progress& progress) {
    Fixed result{scene, {}};
    const Ranges ranges(scene);
    if (evidence.lights) {
        auto found = Search(scene, ranges, *evidence.lights, settings.maxChange).run(progress);
        if (!found) return stopped("Shortening lights");
        result.scene = std::move(*found);
    } else {
        std::vector<double> byLux;
        for (const Light& light : scene.lights) byLux.push_back(reachAt(light, settings.minLux));
        result.scene = ranges.apply(byLux);
    }
    result.record.summary = summaryOf(scene, result.scene);
    if (ranges.movingLights() > 0)
        result.record.notes.push_back(fmt::format(
            "{} as far as before: what is lit on the way is not known",
            counted(ranges.movingLights(), "moving light reaches", "moving lights reach")));
    reportLights(scene, result.scene, evidence, result.record);
    return result;
}

}  // namespace flentro
