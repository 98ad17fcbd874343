#include <fmt/format.h>
#include <algorithm>
#include <cmath>
#include <map>

#include "base/index.h"
#include "findings/rules/rule.h"
#include "geometry/frustum.h"

namespace flentro {
namespace {

constexpr double kLux = 0.5;
constexpr double kMaxRatio = 2;

/// Metres at which a placed light still adds kLux.
double reachOf(const Scene& scene, const PlacedLight& placed) {
    const Light& light = elementOf(scene.lights, placed.light);
    const double candela =
        static_cast<double>(light.intensity) * static_cast<double>(light.color.maxCoeff());
    return std::sqrt(std::max(candela, 0.0) / kLux);
}

bool isTooLong(const Scene& scene, const PlacedLight& placed) {
    const Light& light = elementOf(scene.lights, placed.light);
    return light.type != LightType::Directional &&
           placed.range > kMaxRatio * reachOf(scene, placed);
}

Finding findingOf(const FindingInput& in, const std::vector<std::size_t>& lights) {
    const PlacedLight& first = in.scene.placedLights[lights.front()];
    const double reach = reachOf(in.scene, first);
    std::vector<bool> isOne(in.scene.placedLights.size(), false);
    Finding finding;
    for (const std::size_t light : lights) {
        isOne[light] = true;
        finding.subjects.push_back(lightSubject(in.scene, light));
    }
    const bool isEndless = !std::isfinite(first.range);
    finding.sentence =
        fmt::format("{} {}, and {} less than {} lux beyond {}", counted(lights.size(), "light"),
                    isEndless ? "without a range" : "reaching " + formatMetres(first.range),
                    lights.size() == 1 ? "adds" : "add", kLux, formatMetres(reach));
    finding.evidence = {{"useful reach", reach, Quantity::Unit::Metres}};
    if (!isEndless)
        finding.evidence.push_back(
            {"range", first.range, Quantity::Unit::Metres, kMaxRatio * reach});
    finding.relief = lightRelief(in, [&](const CountedView& view, std::size_t light) {
        if (!isOne[light]) return true;
        const PlacedLight& placed = in.scene.placedLights[light];
        const double own = reachOf(in.scene, placed);
        return Frustum(view.view, in.target.projection()).meetsSphere(placed.position, own);
    });
    return finding;
}

std::vector<Finding> run(const FindingInput& in) {
    std::map<int, std::vector<std::size_t>> ofKind;
    for (std::size_t i = 0; i < in.scene.placedLights.size(); ++i)
        if (isTooLong(in.scene, in.scene.placedLights[i]))
            ofKind[in.scene.placedLights[i].light].push_back(i);
    // Files that define every light by itself: equal ones are one kind.
    std::map<std::tuple<float, float, LightType>, std::vector<std::size_t>> kinds;
    for (const auto& [index, lights] : ofKind) {
        const Light& light = elementOf(in.scene.lights, index);
        auto& all = kinds[{light.intensity, light.range, light.type}];
        all.insert(all.end(), lights.begin(), lights.end());
    }
    std::vector<Finding> findings;
    for (const auto& [kind, lights] : kinds) findings.push_back(findingOf(in, lights));
    return findings;
}

}  // namespace

const Rule& lightRangeTooLongRule() {
    static const Rule rule = {
        .key = "light-range-too-long",
        .name = "Lights that reach too far",
        .why =
            "A light costs in every view that its range meets, however little it adds there; "
            "without a range it reaches everywhere.",
        .measured =
            "Range against the distance at which the light still adds 0.5 lux (inverse square): "
            "told above twice that. Lights of one kind are told together.",
        .advice = "Fix Light reach gives it a range by what it lights.",
        .fix = "light-reach",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
