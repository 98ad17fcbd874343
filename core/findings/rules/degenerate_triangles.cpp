#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {

double countDegenerate(const WeldedMesh& welded) {
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

namespace {

std::vector<Finding> run(const FindingInput& in) {
    return tidyFindings(in, countDegenerate, "have no surface", "degenerate triangles");
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
