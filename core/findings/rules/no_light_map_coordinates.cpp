#include <fmt/format.h>

#include <algorithm>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinLength = 1;  ///< Metres.
constexpr double kUsual = 0.5;    ///< Of the static triangles.

bool hasSecondSet(const Mesh& mesh) {
    return std::all_of(mesh.parts.begin(), mesh.parts.end(),
                       [](const Part& part) { return part.find("TEXCOORD_1") != nullptr; });
}

bool isStatic(const FindingInput& in, std::size_t asset) {
    const auto& parts = in.scene.assets[asset].mesh->parts;
    if (std::any_of(parts.begin(), parts.end(),
                    [](const Part& part) { return part.isDeformable(); }))
        return false;
    const auto& objects = in.index.objectsOf[asset];
    return std::any_of(objects.begin(), objects.end(), [&](std::uint32_t i) {
        const Object& object = in.scene.objects[i];
        return sizeOf(object) >= kMinLength && !elementOf(in.index.isMoving, object.node);
    });
}

/// True if more lights than allowed cast shadows in some view, and some of them never move.
bool bakingServes(const FindingInput& in) {
    const double limit = at(in.target.limits, Measure::ShadowLights);
    const auto& lights = in.scene.placedLights;
    return isLimit(limit) && at(in.views.counts(), Measure::ShadowLights) > limit &&
           std::any_of(lights.begin(), lights.end(), [&](const PlacedLight& placed) {
               return placed.castsShadow && !elementOf(in.index.isMoving, placed.node);
           });
}

std::vector<Finding> run(const FindingInput& in) {
    Finding finding;
    double with = 0;
    double without = 0;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const Mesh& mesh = *in.scene.assets[a].mesh;
        if (mesh.triangles == 0 || !isStatic(in, a)) continue;
        const auto triangles = static_cast<double>(mesh.triangles);
        (hasSecondSet(mesh) ? with : without) += triangles;
        if (!hasSecondSet(mesh)) finding.subjects.push_back(assetSubject(in.scene, a));
    }
    const bool isException = with > kUsual * (with + without);
    if (finding.subjects.empty() || (!isException && !bakingServes(in))) return {};
    finding.sentence =
        fmt::format("{} without a second set of texture coordinates",
                    counted(finding.subjects.size(), "static asset is", "static assets are"));
    finding.evidence = {
        {"assets", static_cast<double>(finding.subjects.size())},
        {"static triangles that have them", with / (with + without), Quantity::Unit::Share}};
    return {std::move(finding)};
}

}  // namespace

const Rule& noLightMapCoordinatesRule() {
    static const Rule rule = {
        .key = "no-light-map-coordinates",
        .name = "No light map coordinates",
        .why =
            "Light that is worked out beforehand needs coordinates in which no two surfaces share "
            "a place.",
        .measured =
            "Assets that never move or bend, a metre and more long, without a second set of "
            "texture coordinates: told together where static shadow lights are more than the "
            "target allows, so that baking is what serves, or where more than half of the static "
            "triangles have such coordinates.",
        .advice = "A second set without overlaps, from the modelling program.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
