#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    const double limit = at(in.target.limits, Measure::ShadowLights);
    const double count = at(in.views.counts(), Measure::ShadowLights);
    if (!isLimit(limit) || count <= limit) return {};
    const CountedView& worst = in.views.worst(Measure::ShadowLights);
    std::vector<std::tuple<double, std::size_t>> lights;
    for (const DrawnLight& drawn : worst.cost.lights)
        if (drawn.castsShadow) lights.emplace_back(-drawn.shadowTriangles, drawn.light);
    std::sort(lights.begin(), lights.end());
    Finding finding;
    std::vector<bool> isNeeded(in.scene.placedLights.size(), true);
    for (std::size_t i = 0; i < lights.size(); ++i) {
        finding.subjects.push_back(lightSubject(in.scene, std::get<1>(lights[i])));
        // Those that draw most would go.
        if (static_cast<double>(i) < count - limit) isNeeded[std::get<1>(lights[i])] = false;
    }
    const ViewCost& cost = worst.cost;
    finding.sentence = fmt::format(
        "{} shadow lights in one view where {} are allowed draw {} of its triangles", count, limit,
        formatShare(cost.shadowTriangles / std::max(1.0, at(cost.counts, Measure::Triangles))));
    finding.evidence = {{"shadow lights", count, Quantity::Unit::Count, limit},
                        {"triangles in shadow passes", cost.shadowTriangles},
                        {"draw calls in shadow passes", cost.shadowCalls}};
    finding.where = {worst.view};
    finding.relief = lightRelief(
        in, [&](const CountedView&, std::size_t light) { return bool{isNeeded[light]}; });
    // They go on shining.
    for (Counts* counts : {&finding.relief.here, &finding.relief.worst, &finding.relief.mean})
        at(*counts, Measure::Lights) = 0;
    return {std::move(finding)};
}

}  // namespace

const Rule& tooManyShadowLightsRule() {
    static const Rule rule = {
        .key = "too-many-shadow-lights",
        .name = "Too many shadow lights",
        .why = "Each draws everything in its reach once more.",
        .measured =
            "Shadow lights of the worst view against the target's limit; those that draw most come "
            "first.",
        .advice = "Fix Shadow lights lets those cast shadows that would be missed.",
        .fix = "shadow-lights",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
