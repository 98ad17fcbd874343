#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"
#include "fixes/ladder/ladder.h"

namespace flentro {
namespace {

constexpr std::size_t kMinTriangles = 10000;
constexpr double kMinShare = 0.5;
constexpr double kMinPixels = 4;    ///< A triangle needs no fewer: less shows no shape.
constexpr double kNearShare = 0.1;  ///< Of the glimpses of level 0: the nearest are left out.

/// Triangles below kMinPixels even if seen from the front, and as many as would be needed.
struct Density {
    double tiny = 0;
    double needed = 0;
};

Density densityOf(const Mesh& mesh, double scale) {
    Density density;
    for (const Part& part : mesh.parts) {
        const Stream* positions = part.find("POSITION");
        if (!part.isTriangles() || !positions) continue;
        const std::vector<Vec3f> points = toVectors(*positions);
        for (std::size_t c = 0; c + 2 < part.indices.size(); c += 3) {
            const Vec3f& a = points[part.indices[c]];
            const Vec3f cross =
                (points[part.indices[c + 1]] - a).cross(points[part.indices[c + 2]] - a);
            const double pixels = static_cast<double>(cross.norm()) / 2 * scale;
            density.tiny += pixels < kMinPixels;
            density.needed += std::min(pixels / kMinPixels, 1.0);
        }
    }
    return density;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const std::vector<double> scales = glimpseScales(in, kNearShare);
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        const double scale = scales[a] * scales[a];  // square pixels of a square metre
        if (mesh.triangles < kMinTriangles || scale == 0 ||
            in.scene.assets[a].importance == Importance::Keep)
            continue;
        const auto count = static_cast<double>(mesh.triangles);
        const Density density = densityOf(mesh, scale);
        if (density.tiny < kMinShare * count) continue;
        const double kept = density.needed / count;
        Finding finding = assetFinding(
            in, a,
            fmt::format("{} of {} triangles are below {} pixels from nine in ten of the spots",
                        formatShare(density.tiny / count), formatCount(count), kMinPixels),
            {{"share below four pixels", density.tiny / count, Quantity::Unit::Share, kMinShare},
             {"triangles", count},
             {"triangles needed", density.needed}});
        finding.relief = triangleRelief(in, a, [kept](const DrawnObject& drawn, double triangles) {
            return drawn.level == 0 ? kept * triangles : triangles;
        });
        FixSettings fix = proposedFix(in, "ladder");
        fix.as<LadderSettings>()->simplifyLevel0 = true;
        finding.fix = fix;
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& tooDenseRule() {
    static const Rule rule = {
        .key = "too-dense",
        .name = "Denser than it ever shows",
        .why = "Triangles of a few pixels cost as much as large ones and flicker besides.",
        .measured =
            "Area of each triangle on the display, seen from the front from where a tenth of all "
            "glimpses of level 0 are nearer: told where more than half of a mesh stay "
            "below four pixels, from 10,000 triangles on.",
        .advice = "Ladder with its level 0 simplified to what the nearest view shows.",
        .needsSurvey = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
