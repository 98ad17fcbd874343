#include "fixes/shadow_lights/shadow_lights.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/lights/light_limits.h"
#include "fixes/lights/light_report.h"
#include "scene/edit.h"
#include "scene/shadow_lights.h"

namespace flentro {
namespace {

/// Shadow lights that count, and those whose shadows are not worth one.
struct Casting {
    std::vector<LimitedLight> lights;  ///< [placed lights] Those that cast none end at 0.
    std::size_t casting = 0;
    std::size_t unseen = 0;  ///< Of those, whose shadow no view would miss.
};

/// `worst`: [placed lights] the most that a view would change without the shadow; empty: not known.
Casting castingOf(const Scene& scene, const std::vector<float>& worst, double minChange) {
    Casting found;
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i) {
        const PlacedLight& light = scene.placedLights[i];
        found.lights.push_back({light.position, light.range, 0, false});
        if (!light.castsShadow) continue;
        ++found.casting;
        if (worst.empty() || static_cast<double>(worst[i]) > minChange)
            found.lights.back().end = std::min(light.end, light.shadowEnd);
        else
            ++found.unseen;
    }
    return found;
}

struct Shortened {
    std::size_t never = 0;  ///< Cast no shadow any more.
    std::size_t near = 0;   ///< Cast one up to a distance.
};

/// `ends`: [placed lights] how far from the eye each may cast a shadow.
Shortened shorten(Scene& scene, const std::vector<double>& ends) {
    Shortened count;
    for (std::size_t i = 0; i < ends.size(); ++i) {
        PlacedLight& light = scene.placedLights[i];
        if (!light.castsShadow) continue;
        if (ends[i] <= 0) {
            setCastsShadow(scene, light, false);
            ++count.never;
        } else if (ends[i] < std::min(light.end, light.shadowEnd)) {
            light.shadowEnd = ends[i];
            ++count.near;
        }
    }
    return count;
}

}  // namespace

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
    const Casting casting =
        castingOf(scene, evidence.lights ? mostInAnyView(worth, count) : std::vector<float>(),
                  settings.minChange);
    if (progress.cancelled()) return stopped("Choosing shadow lights");
    using Excess = ShadowLightSettings::Excess;
    const bool atOnce = settings.excess == Excess::AtOnce && isLimit(limit) && limit >= 1;
    const std::size_t most = isLimit(limit) && !atOnce ? static_cast<std::size_t>(limit) : count;
    LightLimits chosen =
        limitLights(casting.lights, most, eyes, target.projection().horizontalFov(), worth,
                    settings.excess != Excess::Never, slackBetween(eyes));
    const Shortened shortened = shorten(result.scene, chosen.ends);
    if (atOnce) {
        limitShadowLights(result.scene, static_cast<int>(limit));
        chosen.most = std::min(chosen.most, static_cast<std::size_t>(limit));
    }
    const std::string all = counted(casting.casting, "shadow light");
    result.record.summary =
        listDone(
            {{shortened.never, countOf(shortened.never, casting.casting, "shadow light") +
                                   " cast no shadow any more"},
             {shortened.near, countOf(shortened.near, casting.casting, "shadow light") +
                                  " cast one up to a distance"}},
            casting.casting == 1 ? "1 shadow light stays as it is" : all + " stay as they are") +
        fmt::format("; at most {} in any view", chosen.most);
    if (casting.unseen > 0)
        result.record.notes.push_back(fmt::format(
            "{} shadows that change no view by more than {}",
            counted(casting.unseen, "light cast", "lights cast"), formatShare(settings.minChange)));
    if (!isLimit(limit))
        result.record.notes.emplace_back(
            "The target sets no limit: only shadows that nobody sees go");
    reportLights(scene, result.scene, evidence, result.record);
    return result;
}

}  // namespace flentro
