#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kMinTriangles = 1000;
constexpr double kPixelsPerTriangle = 16;  ///< Square pixels; smaller ones are cut away unseen.
constexpr double kMin = 24;
constexpr double kWorth = 0.01;  ///< Of the limit.

/// Triangles that a disc of this diameter on the display can show, front and back.
double shownTriangles(double pixels) {
    return std::max(kMin, 2 * kPi / 4 * pixels * pixels / kPixelsPerTriangle);
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Asset& asset = in.scene.assets[a];
        if (!asset.ladder.empty() || asset.mesh->triangles < kMinTriangles ||
            asset.importance == Importance::Keep)
            continue;
        const Relief relief = triangleRelief(in, a, [&](const DrawnObject& drawn, double) {
            return shownTriangles(pixelsAcross(in.scene.objects[drawn.object],
                                               static_cast<double>(drawn.distance), in.target));
        });
        if (!isWorth(in, relief, {Measure::Triangles}, kWorth)) continue;
        const CostShare& drawn = in.views.worst(Measure::Triangles).assets[a];
        const double saved = at(relief.worst, Measure::Triangles);
        Finding finding = assetFinding(
            in, a,
            fmt::format("{} triangles and no lower level: of {} that the worst view draws, {} show "
                        "nothing",
                        formatCount(static_cast<double>(asset.mesh->triangles)),
                        formatCount(drawn.triangles), formatCount(saved)),
            {{"triangles", static_cast<double>(asset.mesh->triangles), Quantity::Unit::Count,
              static_cast<double>(kMinTriangles)},
             {"copies drawn", static_cast<double>(drawn.copies)},
             {"of them in shadow passes", drawn.shadowTriangles}});
        finding.relief = relief;
        finding.fix = proposedFix(in, "ladder");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& noLevelsRule() {
    static const Rule rule = {
        .key = "no-levels",
        .name = "No levels of detail",
        .why =
            "From afar a mesh without lower levels costs as much as from nearby, in every shadow "
            "pass as well.",
        .measured =
            "For each copy that a counted view draws: its triangles against what its size on the "
            "display can show, one for 16 square pixels on both sides, at least 24. Told from "
            "1,000 triangles and 1 % of the limit on.",
        .advice = "A ladder of levels (fix Ladder).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
