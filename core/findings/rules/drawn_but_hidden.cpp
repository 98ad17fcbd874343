#include <fmt/format.h>
#include <algorithm>
#include <map>

#include "findings/rules/rule.h"
#include "survey/analysis.h"

namespace flentro {
namespace {

constexpr double kWorth = 0.02;
constexpr double kMinTriangles = 200;

std::vector<Finding> run(const FindingInput& in) {
    std::map<std::size_t, double> ofAsset;
    double all = 0;
    for (const ObjectWaste& waste : rankWaste(in.scene, *in.survey)) {
        ofAsset[static_cast<std::size_t>(in.scene.objects[waste.object].asset)] += waste.triangles;
        all += waste.triangles;
    }
    const double limit = at(in.target.limits, Measure::Triangles);
    const double whole = isLimit(limit) ? limit : all;
    std::vector<Finding> findings;
    for (const auto& [asset, triangles] : ofAsset) {
        if (triangles < std::max(kMinTriangles, kWorth * whole)) continue;
        Finding finding =
            assetFinding(in, asset,
                         fmt::format("{} triangles a view are drawn where nothing of it shows",
                                     formatCount(triangles)),
                         {{"drawn in vain", triangles, Quantity::Unit::Count, kWorth * whole}});
        at(finding.relief.mean, Measure::Triangles) = triangles * in.target.eyes;
        finding.fix = proposedFix(in, "culling");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& drawnButHiddenRule() {
    static const Rule rule = {
        .key = "drawn-but-hidden",
        .name = "Drawn behind other things",
        .why =
            "Engines without occlusion culling draw all that the view takes in, also what stands "
            "behind walls.",
        .measured =
            "Triangles of an asset that are drawn though no ray of the view met the copy, in the "
            "mean over all headings of all spots: told from 2 % of the limit on.",
        .advice =
            "Occlusion culling or rooms in the engine; fix Culling distance goes by what is seen.",
        .needsSurvey = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
