#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr std::size_t kMinCorners = 300;
constexpr double kMinEqual = 0.2;

/// Vertices of a part that equal earlier ones; 0 where indices share vertices already.
std::size_t equalVertices(const Part& part) {
    if (!part.isTriangles() || part.indices.size() < kMinCorners) return 0;
    std::vector<bool> used(part.vertexCount(), false);
    for (const std::uint32_t index : part.indices) {
        if (used[index]) return 0;
        used[index] = true;
    }
    const std::vector<std::uint32_t> first = firstEqualVertex(part);
    std::vector<bool> met(part.vertexCount(), false);
    std::size_t equal = 0;
    for (const std::uint32_t index : part.indices) {
        equal += met[first[index]];
        met[first[index]] = true;
    }
    return equal;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        double equal = 0;
        double vertices = 0;  // that triangles use; parts may share one buffer
        for (const Part& part : mesh.parts) {
            equal += static_cast<double>(equalVertices(part));
            vertices += static_cast<double>(std::min(part.vertexCount(), part.indices.size()));
        }
        if (vertices == 0 || equal < kMinEqual * vertices) continue;
        Finding finding =
            assetFinding(in, a,
                         fmt::format("{} of {} vertices equal others", formatCount(equal),
                                     formatCount(vertices)),
                         {{"equal vertices", equal / vertices, Quantity::Unit::Share, kMinEqual},
                          {"vertices", vertices}});
        finding.fix = proposedFix(in, "tidy");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& noIndicesRule() {
    static const Rule rule = {
        .key = "no-indices",
        .name = "Vertices for each corner",
        .why =
            "Every triangle brings three vertices of its own: each is read, stored and transformed "
            "anew.",
        .measured =
            "Parts of 300 corners or more in which no vertex is used twice although at least a "
            "fifth of those that are used equal others in every attribute.",
        .advice = "Weld equal vertices (fix Tidy).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
