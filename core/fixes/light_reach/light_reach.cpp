#include "fixes/light_reach/light_reach.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/text.h"
#include "fixes/lights/light_report.h"
#include "scene/edit.h"

namespace flentro {
namespace {

/// A light is smoothly cut off before its range: three quarters of it is left at seven tenths.
constexpr double kBeyond = 1 / 0.7;
constexpr double kLeastRange = 0.1;  ///< Metres.

/// [placed lights] How far away something seen owes a light its share; 0: nothing does.
std::vector<double> neededReach(const LightMatrix& matrix, const Scene& scene, double minShare) {
    const ArrivingLight arriving(scene, matrix);
    std::vector<double> reach(scene.placedLights.size(), 0);
    for (std::size_t p = 0; p < matrix.points().size(); ++p) {
        const LightMatrix::Point& point = matrix.points()[p];
        double all = 0;
        for (const LightMatrix::Entry& entry : matrix.entriesOf(p))
            all += arriving.lux(point, entry);
        // What is darker than the place is in the mean counts as if it were lit so: an eye that
        // has adapted to the place sees no more there.
        all = std::max(all, matrix.adaptation(point.place));
        for (const LightMatrix::Entry& entry : matrix.entriesOf(p)) {
            const int light = arriving.placedOf(entry.light);
            if (light < 0 || arriving.lux(point, entry) < minShare * all) continue;
            const auto index = static_cast<std::size_t>(light);
            const Vec3d at = point.at.cast<double>();
            reach[index] = std::max(reach[index], (scene.placedLights[index].position - at).norm());
        }
    }
    return reach;
}

/// Metres at which a light still adds so much (inverse square law).
double reachAt(const Light& light, double lux) {
    const double candela =
        static_cast<double>(light.intensity) * static_cast<double>(light.color.maxCoeff());
    return std::sqrt(std::max(candela, 0.0) / lux);
}

}  // namespace

Fixed applyLightReach(const Scene& scene, const LightReachSettings& settings,
                      const Evidence& evidence) {
    Fixed result{scene, {}};
    const std::vector<bool> moving = movingNodes(scene);
    const std::vector<double> needed = evidence.lights
                                           ? neededReach(*evidence.lights, scene, settings.minShare)
                                           : std::vector<double>();
    std::vector<double> ranges(scene.lights.size(), 0);
    std::size_t still = 0;
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& placed = scene.placedLights[i];
        const auto light = static_cast<std::size_t>(placed.light);
        if (moving[static_cast<std::size_t>(placed.node)]) {
            ranges[light] = std::numeric_limits<double>::infinity();
            ++still;
            continue;
        }
        const double byLux = reachAt(scene.lights[light], settings.minLux);
        const bool isMeasured = evidence.lights && needed[i] > 0;
        ranges[light] = std::max(ranges[light], isMeasured ? needed[i] * kBeyond : byLux);
    }
    std::size_t shorter = 0;
    std::size_t endless = 0;
    for (std::size_t l = 0; l < scene.lights.size(); ++l) {
        Light& light = result.scene.lights[l];
        const auto range = static_cast<float>(std::max(ranges[l], kLeastRange));
        if (light.type == LightType::Directional || ranges[l] == 0 || !(range < light.range))
            continue;
        light.range = range;
        light.rest["range"] = range;
        for (PlacedLight& placed : result.scene.placedLights) {
            if (placed.light != static_cast<int>(l)) continue;
            endless += !std::isfinite(placed.range);
            placed.range = static_cast<double>(range);
            ++shorter;
        }
    }
    result.record.summary =
        fmt::format("{} of {} end sooner{}", shorter, counted(scene.placedLights.size(), "light"),
                    endless > 0 ? fmt::format(", {} of them had no range", endless) : "");
    if (still > 0)
        result.record.notes.push_back(
            fmt::format("{} as far as before: what they light on their way is not known",
                        counted(still, "moving light reaches", "moving lights reach")));
    reportLights(scene, result.scene, evidence, result.record);
    return result;
}

}  // namespace flentro
