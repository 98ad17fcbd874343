#include <fmt/format.h>
#include <algorithm>
#include <array>
#include <map>

#include "findings/rules/rule.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.02;
constexpr double kMinCount = 24;

/// Triangles that an opposite one covers; sheets that are two-sided by two layers have no others.
double countIn(const Scene& scene, const Mesh& mesh) {
    const WeldedMesh welded = weldPlaces(mesh);
    std::map<std::array<std::uint32_t, 3>, int> facings;  // of sorted corners: one way, the other
    std::size_t corner = 0;
    for (const Part& part : mesh.parts) {
        if (!part.isTriangles()) continue;
        const Material* material =
            part.material < 0 ? nullptr : &scene.materials[static_cast<std::size_t>(part.material)];
        const bool solid =
            !material || (!material->doubleSided && material->alphaMode == AlphaMode::Opaque);
        for (std::size_t t = 0; t < part.triangleCount(); ++t, corner += 3) {
            std::array<std::uint32_t, 3> c = {welded.corners[corner], welded.corners[corner + 1],
                                              welded.corners[corner + 2]};
            if (!solid || c[0] == c[1] || c[1] == c[2] || c[2] == c[0]) continue;
            std::rotate(c.begin(), std::min_element(c.begin(), c.end()), c.end());
            const bool turned = c[1] > c[2];
            if (turned) std::swap(c[1], c[2]);
            facings[c] |= turned ? 2 : 1;
        }
    }
    double count = 0;
    for (const auto& [corners, facing] : facings) count += facing == 3 ? 2 : 0;
    // A sheet made of two layers is meant to be seen from both sides.
    return count >= 0.9 * static_cast<double>(mesh.triangles) ? 0 : count;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const double count = countIn(in.scene, mesh);
        if (count < kMinCount || count < kMinShare * static_cast<double>(mesh.triangles)) continue;
        findings.push_back(vainTriangles(
            in, a, count,
            fmt::format("{} of {} triangles lie face to face inside", formatCount(count),
                        formatCount(static_cast<double>(mesh.triangles))),
            {{"triangles inside", count, Quantity::Unit::Count, kMinCount}}));
    }
    return findings;
}

}  // namespace

const Rule& interiorFacesRule() {
    static const Rule rule = {
        .key = "interior-faces",
        .name = "Faces inside that nothing can see",
        .why =
            "Where closed pieces touch, both sides of the touching faces are drawn and neither is "
            "ever seen.",
        .measured =
            "Pairs of triangles with the same corners and opposite facing in one-sided opaque "
            "parts: told from 2 % of a mesh and 24 on.",
        .advice =
            "Join the pieces before exporting; with a survey, drop what was never seen (fix Tidy).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
