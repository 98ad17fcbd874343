#include <fmt/format.h>
#include <algorithm>
#include <array>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.005;
constexpr double kMinCount = 8;

/// Edges, and those of three, five ... triangles: those of four are two solids that touch.
/// Duplicates count once.
std::pair<double, double> edgesOf(const WeldedMesh& welded) {
    std::vector<std::array<std::uint32_t, 3>> triangles;
    triangles.reserve(welded.corners.size() / 3);
    for (std::size_t c = 0; c + 2 < welded.corners.size(); c += 3) {
        std::array<std::uint32_t, 3> t = {welded.corners[c], welded.corners[c + 1],
                                          welded.corners[c + 2]};
        std::sort(t.begin(), t.end());
        if (t[0] != t[1] && t[1] != t[2]) triangles.push_back(t);
    }
    std::sort(triangles.begin(), triangles.end());
    triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
    std::vector<std::uint64_t> edges;
    edges.reserve(3 * triangles.size());
    for (const auto& t : triangles)
        for (const auto& [from, to] : {std::pair(t[0], t[1]), {t[1], t[2]}, {t[0], t[2]}})
            edges.push_back(std::uint64_t{from} << 32 | to);
    std::sort(edges.begin(), edges.end());
    double all = 0;
    double bad = 0;
    for (std::size_t i = 0; i < edges.size();) {
        std::size_t end = i;
        while (end < edges.size() && edges[end] == edges[i]) ++end;
        all += 1;
        bad += end - i > 2 && (end - i) % 2 == 1;
        i = end;
    }
    return {all, bad};
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const auto [all, bad] = edgesOf(in.welded[a]);
        if (bad < kMinCount || bad < kMinShare * all) continue;
        findings.push_back(assetFinding(
            in, a,
            fmt::format("{} of {} edges have three faces", formatCount(bad), formatCount(all)),
            {{"such edges", bad, Quantity::Unit::Count, std::max(kMinCount, kMinShare * all)}}));
    }
    return findings;
}

}  // namespace

const Rule& nonManifoldRule() {
    static const Rule rule = {
        .key = "non-manifold",
        .name = "Edges of three faces",
        .why =
            "No inside and outside can be told there: reduction, baking and shadows by volume go "
            "wrong.",
        .measured =
            "Edges that an odd number of three or more triangles share, by position (four: two "
            "solids that touch): told from 0.5 % of the edges and 8 on.",
        .advice = "Repair the mesh in the modelling program.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
