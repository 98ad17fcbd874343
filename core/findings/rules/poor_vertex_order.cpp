#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kCache = 16;
constexpr double kMaxMisses = 1.6;
constexpr std::size_t kMinTriangles = 3000;
constexpr double kMaxVertices = 0.9;  ///< A triangle: above, no order could help.

/// Misses a triangle of a first-in, first-out cache.
double missesOf(const Part& part) {
    std::vector<std::size_t> entered(part.vertexCount(), 0);
    std::size_t misses = 0;
    for (const std::uint32_t vertex : part.indices) {
        if (entered[vertex] > 0 && misses - entered[vertex] < kCache) continue;
        entered[vertex] = ++misses;
    }
    return static_cast<double>(misses) / static_cast<double>(part.triangleCount());
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        double worst = 0;
        for (const Part& part : in.scene.assets[a].mesh->parts) {
            const auto triangles = static_cast<double>(part.triangleCount());
            if (part.triangleCount() < kMinTriangles ||
                static_cast<double>(part.vertexCount()) > kMaxVertices * triangles)
                continue;
            worst = std::max(worst, missesOf(part));
        }
        if (worst <= kMaxMisses) continue;
        findings.push_back(assetFinding(
            in, a, fmt::format("{:.2f} vertices are worked out for each triangle", worst),
            {{"misses a triangle", worst, Quantity::Unit::Count, kMaxMisses}}));
    }
    return findings;
}

}  // namespace

const Rule& poorVertexOrderRule() {
    static const Rule rule = {
        .key = "poor-vertex-order",
        .name = "Triangles in a poor order",
        .why =
            "Devices keep the last few transformed vertices: in a good order each is worked out "
            "about 0.7 times a triangle, in a bad one up to three times.",
        .measured =
            "Mean misses of a cache of 16 vertices a triangle (Hoppe 1999): told above 1.6 for "
            "parts of 3,000 triangles or more whose vertices are shared at all.",
        .advice = "The ladder orders its levels; order level 0 when exporting.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
