#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "geometry/frustum.h"

namespace flentro {
namespace {

constexpr double kMinLength = 40;  ///< Metres.
constexpr std::size_t kMinTriangles = 5000;
constexpr double kMinOutside = 0.25;
constexpr double kWorth = 0.01;  ///< Of the limit.
constexpr double kCell = 32;     ///< Metres; cells keep what lies within half of one of the view.

/// Triangles of an object that cells would let go of in a view.
double outside(const Frustum& frustum, const std::vector<Vec3d>& middles) {
    const Vec3d half = Vec3d::Constant(kCell / 2);
    double count = 0;
    for (const Vec3d& middle : middles) count += !frustum.meets(Box(middle - half, middle + half));
    return count;
}

std::vector<Vec3d> middlesOf(const Mesh& mesh, const Mat4d& world) {
    std::vector<Vec3d> middles;
    for (const Part& part : mesh.parts) {
        const Stream* positions = part.find("POSITION");
        if (!part.isTriangles() || !positions) continue;
        const std::vector<Vec3f> points = toVectors(*positions);
        for (std::size_t c = 0; c + 2 < part.indices.size(); c += 3) {
            const Vec3f sum =
                points[part.indices[c]] + points[part.indices[c + 1]] + points[part.indices[c + 2]];
            middles.push_back(transformPoint(world, (sum / 3).cast<double>()));
        }
    }
    return middles;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.objects.size(); ++i) {
        const Object& object = in.scene.objects[i];
        const Mesh& mesh = in.scene.mesh(object);
        const double length = sizeOf(object);
        if (length < kMinLength || mesh.triangles < kMinTriangles || !in.views.isSurveyed())
            continue;
        const auto asset = static_cast<std::size_t>(object.asset);
        const std::vector<Vec3d> middles = middlesOf(mesh, object.world);
        double drawn = 0;
        double beyond = 0;
        const Relief relief = in.views.relief([&](const CountedView& view) {
            Counts saved{};
            for (const DrawnObject& entry : view.drawnOf(asset)) {
                if (entry.object != i || entry.level > 0) continue;
                const double less = outside(Frustum(view.view, in.target.projection()), middles);
                drawn += static_cast<double>(mesh.triangles);
                beyond += less;
                at(saved, Measure::Triangles) = less * in.target.eyes;
            }
            return saved;
        });
        if (drawn == 0 || beyond < kMinOutside * drawn ||
            !isWorth(in, relief, {Measure::Triangles}, kWorth))
            continue;
        Finding finding;
        finding.subjects = {objectSubject(in.scene, i), assetSubject(in.scene, asset)};
        finding.sentence =
            fmt::format("{} long: {} of its {} triangles lie outside the views that draw it",
                        formatMetres(length), formatShare(beyond / drawn),
                        formatCount(static_cast<double>(mesh.triangles)));
        finding.evidence = {
            {"length", length, Quantity::Unit::Metres, kMinLength},
            {"outside the view", beyond / drawn, Quantity::Unit::Share, kMinOutside},
            {"triangles", static_cast<double>(mesh.triangles)}};
        finding.relief = relief;
        finding.where = whereDrawn(in, asset);
        finding.fix = proposedFix(in, "split");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& hugeMeshRule() {
    static const Rule rule = {
        .key = "huge-mesh-defeats-culling",
        .name = "Too large to be culled",
        .why =
            "A mesh is drawn as a whole when any of it is in view: one across the map is always "
            "drawn, at one level.",
        .measured =
            "Triangles that lie 16 m and more outside the view, of objects longer than 40 m with "
            "5,000 triangles or more: told where that is a quarter of them in the mean of the "
            "views of a survey, and 1 % of the limit.",
        .advice = "Cut into cells (fix Split).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
