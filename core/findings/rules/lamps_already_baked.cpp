#include <fmt/format.h>
#include <algorithm>

#include "base/index.h"
#include "findings/rules/light_maps.h"
#include "findings/rules/rule.h"

namespace flentro {

double lightMappedShare(const FindingInput& in) {
    std::vector<bool> isLit;
    for (const Material& material : in.scene.materials) {
        const auto coordsOf = [&](const char* role) {
            for (const TextureUse& use : material.textures)
                if (use.role == role) return use.texCoord;
            return -1;
        };
        const int base = std::max(0, coordsOf("baseColorTexture"));
        isLit.push_back(std::any_of(
            material.textures.begin(), material.textures.end(), [&](const TextureUse& use) {
                const bool isLight =
                    use.role == "emissiveTexture" || use.role == "occlusionTexture";
                return isLight && use.texCoord != base;
            }));
    }
    double lit = 0;
    double all = 0;
    for (const Object& object : in.scene.objects) {
        if (elementOf(in.index.isMoving, object.node)) continue;
        for (const Part& part : in.scene.mesh(object).parts) {
            const auto triangles = static_cast<double>(part.triangleCount());
            all += triangles;
            if (part.material >= 0 && elementOf(isLit, part.material)) lit += triangles;
        }
    }
    return all > 0 ? lit / all : 0;
}

namespace {

std::vector<Finding> run(const FindingInput& in) {
    const double share = lightMappedShare(in);
    if (share < kLightMapped) return {};
    Finding finding;
    std::vector<bool> isStatic(in.scene.placedLights.size(), false);
    for (std::size_t i = 0; i < isStatic.size(); ++i) {
        if (elementOf(in.index.isMoving, in.scene.placedLights[i].node)) continue;
        isStatic[i] = true;
        finding.subjects.push_back(lightSubject(in.scene, i));
    }
    if (finding.subjects.empty()) return {};
    finding.sentence = fmt::format("{}, though {} of the triangles that stay have a light map",
                                   counted(finding.subjects.size(), "lamp shines and never moves",
                                           "lamps shine and never move"),
                                   formatShare(share));
    finding.evidence = {{"light-mapped triangles", share, Quantity::Unit::Share, kLightMapped},
                        {"lamps", static_cast<double>(finding.subjects.size())}};
    finding.relief =
        lightRelief(in, [&](const CountedView&, std::size_t light) { return !isStatic[light]; });
    return {std::move(finding)};
}

}  // namespace

const Rule& lampsAlreadyBakedRule() {
    static const Rule rule = {
        .key = "lamps-already-baked",
        .name = "Lamps that are baked already",
        .why =
            "Their light is in the light map: shining as well they cost every frame, and light "
            "everything twice.",
        .measured =
            "Lamps that no animation moves, where at least 30 % of the triangles that stay read "
            "an emission or occlusion map on another coordinate set than their colours.",
        .advice = "Take them out, or let them light only what moves.",
        .run = run,
    };
    return rule;
}

}  // namespace flentro
