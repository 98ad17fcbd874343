#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {

double countDuplicate(const WeldedMesh& welded) {
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

namespace {

std::vector<Finding> run(const FindingInput& in) {
    return tidyFindings(in, countDuplicate, "lie on equal ones", "duplicate triangles");
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
