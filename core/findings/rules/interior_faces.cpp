#include <fmt/format.h>
#include <algorithm>

#include "findings/faces_inside.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.02;
constexpr double kMinCount = 24;

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const double count = in.memo.get("faces inside", contentOf(in.scene, mesh), [&] {
            const std::vector<bool> inside = facesInside(in.scene, mesh, in.welded[a]);
            return static_cast<double>(std::count(inside.begin(), inside.end(), true));
        });
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
        .name = "Faces hidden inside others",
        .why =
            "Where closed pieces touch, both sides of the touching faces are drawn and neither is "
            "ever seen.",
        .measured =
            "Triangles of closed opaque pieces that others of the mesh cover from "
            "the front: in the same plane, facing the other way, 99 % of the area: told from 2 % "
            "of a mesh and 24 on.",
        .advice =
            "Join the pieces before exporting; with a survey, drop what was never seen (fix Tidy).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
