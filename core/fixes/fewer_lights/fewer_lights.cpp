#include "fixes/fewer_lights/fewer_lights.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/fewer_lights/merge_lights.h"
#include "fixes/fewer_lights/relieve_objects.h"
#include "fixes/lights/light_limits.h"
#include "fixes/lights/light_report.h"
#include "scene/edit.h"

namespace flentro {
namespace {

/// Takes out what nothing seen depends on, each by itself, from the least worth on, as long as all
/// of them together change no view by more than that either. Returns how many.
std::size_t dropUseless(Scene& scene, const LightMatrix& matrix, double minChange) {
    const auto worth = worthOfLights(matrix, scene, WorthOf::Light);
    const std::vector<float> most = mostInAnyView(worth, scene.placedLights.size());
    const std::vector<bool> moving = movingNodes(scene);
    std::vector<std::pair<float, std::size_t>> order;
    for (std::size_t i = 0; i < most.size(); ++i)
        if (static_cast<double>(most[i]) <= minChange &&
            !elementOf(moving, scene.placedLights[i].node))
            order.emplace_back(most[i], i);
    std::sort(order.begin(), order.end());
    while (!order.empty()) {
        std::vector<bool> gone(most.size(), false);
        for (const auto& [worst, light] : order) gone[light] = true;
        Scene without = scene;
        removeLights(without, gone);
        if (lightingChange(matrix, scene, without).worst <= minChange) {
            scene = std::move(without);
            return order.size();
        }
        order.resize(order.size() / 2);
    }
    return 0;
}

/// How views were kept within a limit.
struct Capped {
    LightLimits limits;
    std::size_t gone = 0;    ///< Lights that may shine nowhere.
    std::size_t nearer = 0;  ///< That shine up to a distance.
};

/// Gives lights distances until no view holds more than `limit`.
Capped capViews(Scene& scene, const FewerLightSettings& settings, std::size_t limit,
                const Target& target, const Evidence& evidence) {
    const std::vector<Vec3d> eyes = eyesFor(scene, evidence);
    const std::vector<bool> moving = movingNodes(scene);
    std::vector<LimitedLight> limited;
    for (const PlacedLight& light : scene.placedLights) {
        const bool isSun = elementOf(scene.lights, light.light).type == LightType::Directional;
        limited.push_back(
            {light.position, light.range, light.end, isSun || elementOf(moving, light.node)});
    }
    const auto worth = evidence.lights ? worthOfLights(*evidence.lights, scene, WorthOf::Light)
                                       : guessWorth(scene, eyes);
    Capped capped;
    capped.limits = limitLights(limited, limit, eyes, target.projection().horizontalFov(), worth,
                                true, slackBetween(eyes));
    const std::vector<double>& ends = capped.limits.ends;
    std::vector<bool> gone(limited.size(), false);
    for (std::size_t i = 0; i < limited.size(); ++i) {
        PlacedLight& light = scene.placedLights[i];
        if (!(ends[i] < light.end)) continue;
        gone[i] = ends[i] <= 0;
        ++(gone[i] ? capped.gone : capped.nearer);
        light.end = ends[i];
        light.fadeStart = std::min(light.fadeStart, light.end * (1 - settings.fade));
    }
    removeLights(scene, gone);
    return capped;
}

void tellRelief(const ObjectRelief& relief, const FewerLightSettings& settings, FixRecord& record) {
    if (relief.before == 0) return;
    if (relief.shortened > 0)
        record.notes.push_back(
            fmt::format("{} before objects that more than {} reached: {} of {} have no more now",
                        counted(relief.shortened, "range ends", "ranges end"), settings.perObject,
                        relief.before - relief.after, counted(relief.before, "object")));
    if (relief.after > 0)
        record.notes.push_back(fmt::format("{} still lit by more than {} lights, by up to {}",
                                           counted(relief.after, "object is", "objects are"),
                                           settings.perObject, relief.most));
}

}  // namespace

Expected<Fixed> applyFewerLights(const Scene& scene, const FewerLightSettings& settings,
                                 const Target& target, const Evidence& evidence,
                                 Progress& progress) {
    Fixed result{scene, {}};
    std::size_t useless = 0;
    MergedLights merged;
    if (evidence.lights) {
        useless = dropUseless(result.scene, *evidence.lights, settings.minChange);
        if (settings.mergeWithin > 0) {
            merged = mergeLights(result.scene, *evidence.lights, settings.mergeWithin,
                                 settings.maxMergeChange);
            result.scene = std::move(merged.scene);
        }
    }
    if (progress.cancelled()) return stopped("Choosing lights");
    if (settings.perObject > 0)
        tellRelief(
            relieveObjects(result.scene, evidence.lights.get(),
                           static_cast<std::size_t>(settings.perObject), settings.maxMergeChange),
            settings, result.record);
    const double limit = settings.limit > 0 ? settings.limit : at(target.limits, Measure::Lights);
    Capped capped;
    std::string most;
    if (settings.capViews && isLimit(limit)) {
        capped =
            capViews(result.scene, settings, static_cast<std::size_t>(limit), target, evidence);
        most = fmt::format("; at most {} in any view", capped.limits.most);
        if (capped.limits.placesOver > 0)
            result.record.notes.push_back(fmt::format(
                "{} more than {} all the same: lights that move and directional ones stay",
                counted(capped.limits.placesOver, "place sees", "places see"), limit));
    }
    result.record.summary =
        listDone({{useless, counted(useless, "light") + " gone that nothing seen depends on"},
                  {merged.lights,
                   fmt::format("{} became {}", counted(merged.lights, "light"), merged.into)},
                  {capped.gone, counted(capped.gone, "light") + " gone for the limit"},
                  {capped.nearer,
                   counted(capped.nearer, "light shines", "lights shine") + " up to a distance"}},
                 "Every light stays as it is") +
        most;
    if (merged.rejected > 0)
        result.record.notes.push_back(
            fmt::format("{} as they are: together a view would change by more than {}",
                        counted(merged.rejected, "group stays", "groups stay"),
                        formatShare(settings.maxMergeChange)));
    reportLights(scene, result.scene, evidence, result.record);
    return result;
}

}  // namespace flentro
