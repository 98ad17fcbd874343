#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kMinTriangles = 12;

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
                !isClosedOutward(welded.points, corners))
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
        .advice = "Fix Plainer materials leaves it one side.",
        .fix = "plain-materials",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
