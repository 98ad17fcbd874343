#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/light_maps.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    const double limit = at(in.target.limits, Measure::ShadowLights);
    if (!isLimit(limit) || at(in.views.counts(), Measure::ShadowLights) <= limit) return {};
    if (lightMappedShare(in) >= kLightMapped) return {};  // they are; see lamps-already-baked
    Finding finding;
    std::vector<bool> isStatic(in.scene.placedLights.size(), false);
    for (std::size_t i = 0; i < in.scene.placedLights.size(); ++i) {
        const PlacedLight& placed = in.scene.placedLights[i];
        if (!placed.castsShadow || elementOf(in.index.isMoving, placed.node)) continue;
        isStatic[i] = true;
        finding.subjects.push_back(lightSubject(in.scene, i));
    }
    if (finding.subjects.empty()) return {};
    finding.sentence = fmt::format(
        "{} and could be baked",
        counted(finding.subjects.size(), "shadow light never moves", "shadow lights never move"));
    finding.evidence = {{"static shadow lights", static_cast<double>(finding.subjects.size())}};
    finding.relief =
        lightRelief(in, [&](const CountedView&, std::size_t light) { return !isStatic[light]; });
    return {std::move(finding)};
}

}  // namespace

const Rule& staticLightBakedRule() {
    static const Rule rule = {
        .key = "static-light-could-be-baked",
        .name = "Shadow lights that stay put",
        .why =
            "Light that never changes can be worked out beforehand and costs nothing in a frame.",
        .measured =
            "Shadow lights that no animation moves, where the worst view has more shadow lights "
            "than the target allows, unless the scene has light maps.",
        .advice = "Bake them into a light map or the colours of vertices.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
