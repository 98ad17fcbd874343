#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxShort = 65534;

double verticesOf(const Mesh& mesh) {
    std::size_t most = 0;
    for (const Part& part : mesh.parts) most = std::max(most, part.vertexCount());
    return static_cast<double>(most);
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const double limit = std::min(kMaxShort, at(in.target.limits, Measure::VerticesPerMesh));
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const double vertices = verticesOf(*in.scene.assets[a].mesh);
        if (vertices <= limit) continue;
        Finding finding = assetFinding(
            in, a, fmt::format("a part of {} vertices", formatCount(vertices)),
            {{"vertices of the largest part", vertices, Quantity::Unit::Count, limit}});
        finding.relief = in.views.relief([&](const CountedView& view) {
            Counts saved{};
            double others = limit;
            if (view.assets[a].copies == 0) return saved;
            for (std::size_t o = 0; o < view.assets.size(); ++o)
                if (o != a) others = std::max(others, view.assets[o].vertices);
            at(saved, Measure::VerticesPerMesh) =
                std::max(0.0, at(view.cost.counts, Measure::VerticesPerMesh) - others);
            return saved;
        });
        finding.fix = proposedFix(in, "part-size");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& wideIndicesRule() {
    static const Rule rule = {
        .key = "needs-32-bit-indices",
        .name = "Too many vertices in a part",
        .why =
            "A part of 65,535 vertices or more needs indices of four bytes, which some devices "
            "draw slower or not at all.",
        .measured =
            "Vertices of each part (not of the mesh), against the limit for vertices or 65,534.",
        .advice = "Cut into parts (fix Part size), or simplify its level 0 (fix Ladder).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
