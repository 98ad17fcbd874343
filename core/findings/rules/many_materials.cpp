#include <fmt/format.h>
#include <algorithm>

#include "base/index.h"
#include "findings/rules/rule.h"
#include "geometry/mesh_materials.h"

namespace flentro {
namespace {

constexpr double kUsual = 8;

/// True if a palette may serve: most materials are plain colours.
bool isMostlyPlain(const Scene& scene, const Mesh& mesh) {
    std::size_t plain = 0;
    for (const Part& part : mesh.parts)
        plain += part.material >= 0 && elementOf(scene.materials, part.material).textures.empty();
    return 2 * plain > mesh.parts.size();
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const double given = at(in.target.limits, Measure::MaterialsPerObject);
    const double limit = isLimit(given) ? given : kUsual;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const auto count = static_cast<double>(materialCount(*in.scene.assets[a].mesh));
        if (count <= limit || in.index.objectsOf[a].empty()) continue;
        Finding finding =
            assetFinding(in, a, fmt::format("{} materials where {} are allowed", count, limit),
                         {{"materials", count, Quantity::Unit::Count, limit},
                          {"copies", static_cast<double>(in.index.objectsOf[a].size())}});
        finding.relief = materialRelief(in, a, static_cast<std::size_t>(std::max(1.0, limit)));
        const bool plain = isMostlyPlain(in.scene, *in.scene.assets[a].mesh);
        // The one that changes nothing comes first: of equals it is kept.
        finding.fix = proposedFix(in, "share");
        finding.alternatives = {proposedFix(in, plain ? "fewer-materials" : "atlas"),
                                proposedFix(in, plain ? "atlas" : "fewer-materials")};
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& manyMaterialsRule() {
    static const Rule rule = {
        .key = "many-materials",
        .name = "Many materials on one mesh",
        .why = "Each material is a draw call of its own, in every shadow pass as well.",
        .measured = "Materials of a placed mesh against the target's limit, or 8 without one.",
        .advice =
            "Textures on common pages (fix Atlas), colours from a palette (fix Fewer materials), "
            "equal materials as one (fix Share).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
