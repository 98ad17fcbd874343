#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kMinTriangles = 12;

/// True if every edge is used as often in each direction, so that nothing is open, and the surface
/// looks outward.
bool isClosed(const std::vector<Vec3f>& points, const std::vector<std::uint32_t>& corners) {
    std::vector<std::pair<std::uint32_t, std::uint32_t>> edges;
    for (std::size_t c = 0; c + 2 < corners.size(); c += 3)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint32_t from = corners[c + k];
            const std::uint32_t to = corners[c + (k + 1) % 3];
            if (from != to) edges.emplace_back(from, to);
        }
    std::sort(edges.begin(), edges.end());
    for (auto first = edges.begin(); first != edges.end();) {
        const auto [begin, end] = std::equal_range(first, edges.end(), *first);
        const auto back =
            std::equal_range(edges.begin(), edges.end(), std::pair(first->second, first->first));
        if (end - begin != back.second - back.first) return false;
        first = end;
    }
    double volume = 0;
    for (std::size_t c = 0; c + 2 < corners.size(); c += 3) {
        const auto at = [&](std::size_t k) { return points[corners[c + k]].cast<double>(); };
        volume += at(0).dot(at(1).cross(at(2)));
    }
    return !edges.empty() && volume >= 0;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        if (in.index.objectsOf[a].empty()) continue;
        const WeldedMesh& welded = in.welded[a];
        std::size_t first = 0;
        for (const Part& part : mesh.parts) {
            const std::size_t count = 3 * part.triangleCount();
            const std::vector<std::uint32_t> corners(
                welded.corners.begin() + static_cast<std::ptrdiff_t>(first),
                welded.corners.begin() + static_cast<std::ptrdiff_t>(first + count));
            first += count;
            if (part.material < 0 || count < 3 * kMinTriangles) continue;
            const auto m = static_cast<std::size_t>(part.material);
            const Material& material = in.scene.materials[m];
            if (!material.doubleSided || material.alphaMode != AlphaMode::Opaque ||
                !isClosed(welded.points, corners))
                continue;
            Finding finding =
                assetFinding(in, a,
                             fmt::format("its part in '{}' is closed, and drawn from both sides",
                                         materialSubject(in.scene, m).name),
                             {{"triangles", static_cast<double>(part.triangleCount())}});
            finding.subjects.push_back(materialSubject(in.scene, m));
            findings.push_back(std::move(finding));
        }
    }
    return findings;
}

}  // namespace

const Rule& doubleSidedClosedRule() {
    static const Rule rule = {
        .key = "double-sided-closed",
        .name = "Two-sided though closed",
        .why = "Nobody sees the inside, and yet every pixel of it is filled.",
        .measured =
            "Opaque two-sided parts that are closed and look outward: every edge, by position, "
            "runs as "
            "often each way; from 12 triangles on.",
        .advice = "Make the material one-sided.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
