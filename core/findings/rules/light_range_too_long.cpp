#include <fmt/format.h>
#include <algorithm>
#include <cmath>

#include "base/cancel_only.h"
#include "base/index.h"
#include "findings/rules/rule.h"
#include "fixes/light_reach/light_reach.h"
#include "geometry/frustum.h"

namespace flentro {
namespace {

constexpr double kMaxRatio = 2;

std::string rangeText(double nearest, double farthest) {
    if (formatMetres(nearest) == formatMetres(farthest)) return formatMetres(nearest);
    return fmt::format("{} to {}", formatMetres(nearest), formatMetres(farthest));
}

/// Lights that an animation moves: the fix leaves them, as what they light on their way is not
/// known. By the distance at which they still add what matters without a survey.
std::vector<Finding> movingLights(const FindingInput& in, double minLux) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.placedLights.size(); ++i) {
        const PlacedLight& placed = in.scene.placedLights[i];
        const Light& light = elementOf(in.scene.lights, placed.light);
        if (!elementOf(in.index.isMoving, placed.node) || light.type == LightType::Directional)
            continue;
        const double candela =
            static_cast<double>(light.intensity) * static_cast<double>(light.color.maxCoeff());
        const double reach = std::sqrt(std::max(candela, 0.0) / minLux);
        if (!(placed.range > kMaxRatio * reach)) continue;
        Finding finding;
        finding.subjects = {lightSubject(in.scene, i)};
        finding.sentence =
            fmt::format("it moves {}, and adds less than {} lux beyond {}",
                        std::isfinite(placed.range) ? "and reaches " + formatMetres(placed.range)
                                                    : "without a range",
                        minLux, formatMetres(reach));
        finding.evidence = {{"useful reach", reach, Quantity::Unit::Metres}};
        finding.relief = lightRelief(in, [&](const CountedView& view, std::size_t other) {
            return other != i ||
                   Frustum(view.view, in.target.projection()).meetsSphere(placed.position, reach);
        });
        findings.push_back(std::move(finding));
    }
    return findings;
}

/// One finding about all lights whose range the fix at least halves, and those that it leaves.
std::vector<Finding> run(const FindingInput& in) {
    const FixSettings fix = proposedFix(in, "light-reach");
    std::vector<Finding> findings = movingLights(in, fix.as<LightReachSettings>()->minLux);
    CancelOnly quiet(in.progress);
    const auto fixed = applyLightReach(in.scene, *fix.as<LightReachSettings>(), in.evidence, quiet);
    if (!fixed) return findings;  // cancelled
    const std::vector<PlacedLight>& before = in.scene.placedLights;
    const std::vector<PlacedLight>& after = fixed->scene.placedLights;
    Finding finding;
    std::size_t endless = 0;
    double nearest = std::numeric_limits<double>::infinity();
    double farthest = 0;
    double longest = 0;
    for (std::size_t i = 0; i < before.size(); ++i) {
        if (!(before[i].range > kMaxRatio * after[i].range)) continue;
        finding.subjects.push_back(lightSubject(in.scene, i));
        nearest = std::min(nearest, after[i].range);
        farthest = std::max(farthest, after[i].range);
        if (std::isfinite(before[i].range))
            longest = std::max(longest, before[i].range);
        else
            ++endless;
    }
    if (finding.subjects.empty()) return findings;
    const std::string had = endless == finding.subjects.size() ? "without a range"
                            : endless > 0 ? fmt::format("{} of them without a range", endless)
                                          : "reaching up to " + formatMetres(longest);
    finding.sentence = fmt::format("{} {}; {} would do", counted(finding.subjects.size(), "light"),
                                   had, rangeText(nearest, farthest));
    finding.evidence = {{"useful reach", farthest, Quantity::Unit::Metres}};
    if (longest > 0) finding.evidence.push_back({"longest range", longest, Quantity::Unit::Metres});
    finding.evidence.push_back({"lights", static_cast<double>(finding.subjects.size())});
    finding.relief = lightRelief(in, [&](const CountedView& view, std::size_t light) {
        return Frustum(view.view, in.target.projection())
            .meetsSphere(after[light].position, after[light].range);
    });
    finding.fix = fix;
    findings.push_back(std::move(finding));
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
            "Ranges that fix Light reach would set: where the lights have been surveyed, those "
            "with which all lights together change no view by more than 1 %; else by the distance "
            "at which each adds 0.5 lux. Lights whose range becomes half or less are reported "
            "together, lights that move apart by 0.5 lux.",
        .advice =
            "Fix Light reach gives lights a range by what they light; lights that move need "
            "one by hand.",
        .needsRelief = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
