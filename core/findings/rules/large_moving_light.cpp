#include <fmt/format.h>
#include <cmath>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxRange = 20;  ///< Metres.

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.placedLights.size(); ++i) {
        const PlacedLight& placed = in.scene.placedLights[i];
        const Light& light = elementOf(in.scene.lights, placed.light);
        if (light.type == LightType::Directional || placed.range < kMaxRange ||
            !elementOf(in.index.isMoving, placed.node))
            continue;
        Finding finding;
        finding.subjects = {lightSubject(in.scene, i)};
        finding.sentence =
            fmt::format("it moves and reaches {}{}",
                        std::isfinite(placed.range) ? formatMetres(placed.range) : "everywhere",
                        placed.castsShadow ? ", with shadows" : "");
        if (std::isfinite(placed.range))
            finding.evidence = {{"range", placed.range, Quantity::Unit::Metres, kMaxRange}};
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& largeMovingLightRule() {
    static const Rule rule = {
        .key = "large-moving-light",
        .name = "A moving light of long reach",
        .why = "What it lights must be lit, and its shadows drawn, anew every frame.",
        .measured =
            "Point and spot lights on nodes that an animation moves, with a range of 20 m or more "
            "or none.",
        .advice = "A shorter range, or no shadows.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
