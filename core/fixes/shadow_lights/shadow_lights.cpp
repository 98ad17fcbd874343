#include "fixes/shadow_lights/shadow_lights.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "fixes/lights/light_limits.h"
#include "fixes/lights/light_report.h"
#include "scene/edit.h"

namespace flentro {
Expected<Fixed> applyShadowLights(const Scene& scene, const ShadowLightSettings& settings,
                                  const Target& target, const Evidence& evidence,
                                  Progress& progress) {
    Fixed result{scene, {}};
    const double limit =
        settings.limit > 0 ? settings.limit : at(target.limits, Measure::ShadowLights);
    const std::vector<Vec3d> eyes = eyesFor(scene, evidence);
    const std::size_t count = scene.placedLights.size();
    const auto worth = evidence.lights ? worthOfLights(*evidence.lights, scene, WorthOf::Shadow)
                                       : guessWorth(scene, eyes);
    const std::vector<float> worst = mostInAnyView(worth, count);
    std::vector<LimitedLight> limited(count);
    std::size_t casting = 0;
    std::size_t unseen = 0;
    for (std::size_t i = 0; i < count; ++i) {
        const PlacedLight& light = scene.placedLights[i];
        limited[i] = {light.position, light.range, 0, false};
        if (!light.castsShadow) continue;
        ++casting;
        const bool isMissed =
            !evidence.lights || static_cast<double>(worst[i]) > settings.minChange;
        if (isMissed)
            limited[i].end = std::min(light.end, light.shadowEnd);
        else
            ++unseen;
    }
    if (progress.cancelled())
        return fail(ErrorCode::Cancelled, "Choosing shadow lights was stopped");
    const LightLimits chosen =
        limitLights(limited, isLimit(limit) ? static_cast<std::size_t>(limit) : count, eyes,
                    horizontalFov(target), worth,
                    settings.excess == ShadowLightSettings::Excess::Distance, slackBetween(eyes));
    std::size_t never = 0;
    std::size_t near = 0;
    for (std::size_t i = 0; i < count; ++i) {
        PlacedLight& light = result.scene.placedLights[i];
        if (!light.castsShadow) continue;
        if (chosen.ends[i] <= 0) {
            takeShadow(result.scene, light);
            ++never;
        } else if (chosen.ends[i] < std::min(light.end, light.shadowEnd)) {
            light.shadowEnd = chosen.ends[i];
            ++near;
        }
    }
    result.record.summary =
        fmt::format("{} of {} cast no shadow any more, {} up to a distance; at most {} in any view",
                    never, counted(casting, "shadow light"), near, chosen.most);
    if (unseen > 0)
        result.record.notes.push_back(fmt::format("{} shadows that change no view by more than {}",
                                                  counted(unseen, "light cast", "lights cast"),
                                                  formatShare(settings.minChange)));
    if (!isLimit(limit))
        result.record.notes.emplace_back(
            "The target sets no limit: only shadows that nobody sees go");
    reportLights(scene, result.scene, evidence, result.record);
    return result;
}

}  // namespace flentro
