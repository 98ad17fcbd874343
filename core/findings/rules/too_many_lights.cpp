#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"
#include "measure/lights_on_objects.h"

namespace flentro {
namespace {

constexpr double kMaxLights = 8;
constexpr std::size_t kNamed = 12;

std::vector<Finding> run(const FindingInput& in) {
    std::vector<std::pair<double, std::size_t>> lit;
    const auto reaching = lightsOnObjects(in.scene);
    for (std::size_t i = 0; i < reaching.size(); ++i) {
        const auto lights = static_cast<double>(reaching[i].size());
        if (lights > kMaxLights) lit.emplace_back(-lights, i);
    }
    if (lit.empty()) return {};
    std::sort(lit.begin(), lit.end());
    Finding finding;
    for (std::size_t i = 0; i < std::min(kNamed, lit.size()); ++i)
        finding.subjects.push_back(objectSubject(in.scene, lit[i].second));
    finding.sentence = fmt::format("{} lit by more than {} lights, by up to {}",
                                   counted(lit.size(), "object is", "objects are"), kMaxLights,
                                   -lit.front().first);
    finding.evidence = {
        {"lights on one object", -lit.front().first, Quantity::Unit::Count, kMaxLights},
        {"objects", static_cast<double>(lit.size())}};
    return {std::move(finding)};
}

}  // namespace

const Rule& tooManyLightsRule() {
    static const Rule rule = {
        .key = "too-many-lights",
        .name = "Too many lights on an object",
        .why =
            "Renderers that shade object by object take a few lights each and drop the rest, or "
            "draw the object again.",
        .measured = "Lights whose range meets the bounds of an object: told above 8.",
        .advice = "Fixes Light reach and Fewer lights.",
        .fix = "fewer-lights",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
