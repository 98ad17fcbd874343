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

/// Triangles whose area is none within the rounding of their corners.
double countIn(const Mesh& mesh) {
    const WeldedMesh welded = weldPlaces(mesh);
    double count = 0;
    for (std::size_t c = 0; c + 2 < welded.corners.size(); c += 3) {
        const Vec3d a = welded.points[welded.corners[c]].cast<double>();
        const Vec3d b = welded.points[welded.corners[c + 1]].cast<double>() - a;
        const Vec3d d = welded.points[welded.corners[c + 2]].cast<double>() - a;
        const double longest = std::max({b.squaredNorm(), d.squaredNorm(), (b - d).squaredNorm()});
        count += b.cross(d).norm() <= 1e-7 * longest;
    }
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
                                         fmt::format("{} of {} triangles have no surface",
                                                     formatCount(count), formatCount(triangles)),
                                         {{"degenerate triangles", count, Quantity::Unit::Count,
                                           std::min(kMinCount, kMinShare * triangles)}}));
        findings.back().fix = proposedFix(in, "tidy");
    }
    return findings;
}

}  // namespace

const Rule& degenerateTrianglesRule() {
    static const Rule rule = {
        .key = "degenerate-triangles",
        .name = "Triangles without surface",
        .why = "They are read, transformed and thrown away in every pass.",
        .measured =
            "Triangles with two corners in one place or all on one line: told from 1 % of a mesh "
            "or 500 on.",
        .advice = "Fix Tidy.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
