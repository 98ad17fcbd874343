#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "scene/blending.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        double blended = 0;
        for (const Part& part : mesh.parts)
            if (isBlended(in.scene, part)) blended += static_cast<double>(part.triangleCount());
        const auto all = static_cast<double>(mesh.triangles);
        if (blended == 0 || blended >= all / 2 || in.index.objectsOf[a].empty()) continue;
        Finding finding =
            assetFinding(in, a,
                         fmt::format("{} of {} triangles are blended, the others opaque",
                                     formatCount(blended), formatCount(all)),
                         {{"blended", blended / all, Quantity::Unit::Share, 0.5}});
        finding.fix = proposedFix(in, "split");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& transparentPartRule() {
    static const Rule rule = {
        .key = "transparent-part",
        .name = "Glass and frame in one mesh",
        .why =
            "What is blended is sorted and drawn last: with its frame in the same mesh neither can "
            "be culled or thinned by itself.",
        .measured =
            "Meshes with blended parts beside opaque ones, where the blended part is less than "
            "half of the triangles.",
        .advice = "Transparent parts apart (fix Split).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
