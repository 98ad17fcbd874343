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

/// One finding about all lights whose range the fix at least halves.
std::vector<Finding> run(const FindingInput& in) {
    const FixSettings fix = proposedFix(in, "light-reach");
    CancelOnly quiet(in.progress);
    const auto fixed = applyLightReach(in.scene, *fix.as<LightReachSettings>(), in.evidence, quiet);
    if (!fixed) return {};  // cancelled
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
    if (finding.subjects.empty()) return {};
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
    return {std::move(finding)};
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
            "together.",
        .advice = "Fix Light reach gives lights a range by what they light.",
        .needsRelief = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
