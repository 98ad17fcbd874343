#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.01;  ///< Of the triangles of a mesh.
constexpr double kMinCount = 500;
constexpr double kMinEver = 4;

bool isMany(double count, double triangles) {
    return count >= kMinEver && (count >= kMinShare * triangles || count >= kMinCount);
}

/// Triangles that an earlier one equals in corners and facing, of any part.
double countIn(const Mesh& mesh) {
    const WeldedMesh welded = weldPlaces(mesh);
    std::vector<std::array<std::uint32_t, 3>> all;
    for (std::size_t c = 0; c + 2 < welded.corners.size(); c += 3) {
        std::array<std::uint32_t, 3> corners = {welded.corners[c], welded.corners[c + 1],
                                                welded.corners[c + 2]};
        if (corners[0] == corners[1] || corners[1] == corners[2] || corners[2] == corners[0])
            continue;
        std::rotate(corners.begin(), std::min_element(corners.begin(), corners.end()),
                    corners.end());
        all.push_back(corners);
    }
    std::sort(all.begin(), all.end());
    double count = 0;
    for (std::size_t i = 1; i < all.size(); ++i) count += all[i] == all[i - 1];
    return count;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const double count = countIn(mesh);
        const auto triangles = static_cast<double>(mesh.triangles);
        if (!isMany(count, triangles)) continue;
        findings.push_back(vainTriangles(in, a, count,
                                         fmt::format("{} of {} triangles lie on equal ones",
                                                     formatCount(count), formatCount(triangles)),
                                         {{"duplicate triangles", count, Quantity::Unit::Count,
                                           std::min(kMinCount, kMinShare * triangles)}}));
        findings.back().fix = proposedFix(in, "tidy");
    }
    return findings;
}

}  // namespace

const Rule& duplicateTrianglesRule() {
    static const Rule rule = {
        .key = "duplicate-triangles",
        .name = "Triangles there twice",
        .why =
            "What lies twice in one place is drawn twice, and flickers where it is not quite "
            "equal.",
        .measured =
            "Triangles with the same corners and the same facing as an earlier one of the mesh: "
            "told from 1 % of a mesh or 500 on.",
        .advice = "Fix Tidy.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
