#include <fmt/format.h>

#include <algorithm>
#include <array>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxPixels = 64;

/// What is read or worked out besides the base colour and light of its own.
std::vector<std::string> extrasOf(const Material& material) {
    static constexpr std::array kMaps = {"normalTexture", "occlusionTexture",
                                         "metallicRoughnessTexture"};
    static constexpr std::array kExtensions = {
        "KHR_materials_clearcoat", "KHR_materials_sheen", "KHR_materials_transmission",
        "KHR_materials_anisotropy", "KHR_materials_iridescence"};
    std::vector<std::string> extras;
    for (const char* map : kMaps)
        if (material.texture(map) >= 0) extras.emplace_back(map);
    const Json& extensions = jsonObject(material.source, "extensions");
    for (const char* extension : kExtensions)
        if (extensions.contains(extension)) extras.emplace_back(extension);
    return extras;
}

/// Pixels across the largest copy from the nearest spot.
double largest(const FindingInput& in, std::size_t asset) {
    double pixels = 0;
    for (const std::uint32_t i : in.index.objectsOf[asset])
        for (const SpotResult& spot : in.survey->spots)
            if (spot.done)
                pixels =
                    std::max(pixels, pixelsAcross(in.scene.objects[i],
                                                  distanceTo(in.scene.objects[i].bounds, spot.eye),
                                                  in.target));
    return pixels;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t m = 0; m < in.scene.materials.size(); ++m) {
        const std::vector<std::string> extras = extrasOf(in.scene.materials[m]);
        if (extras.empty() || !in.index.isShown(static_cast<std::uint32_t>(m))) continue;
        double pixels = 0;
        for (const std::uint32_t asset : in.index.assetsOf[m])
            if (in.scene.assets[asset].importance != Importance::Backdrop)
                pixels = std::max(pixels, largest(in, asset));
        if (pixels >= kMaxPixels) continue;
        Finding finding;
        finding.subjects = {materialSubject(in.scene, m)};
        finding.sentence = fmt::format("{} on things of at most {:.0f} pixels",
                                       counted(extras.size(), "costly map", "costly maps"), pixels);
        if (pixels == 0)
            finding.sentence =
                counted(extras.size(), "costly map", "costly maps") + " on backdrops";
        finding.evidence = {{"pixels across", pixels, Quantity::Unit::Pixels, kMaxPixels},
                            {"costly maps", static_cast<double>(extras.size())}};
        std::vector<ImageSaving> savings;
        for (const TextureUse& use : in.scene.materials[m].textures) {
            const int image = in.scene.imageOf(use.texture);
            const bool isExtra = std::ranges::find(extras, use.role) != extras.end();
            if (image < 0 || !isExtra || elementOf(in.index.usesOf, image).size() != 1) continue;
            savings.push_back({static_cast<std::uint32_t>(image),
                               in.textures.of(static_cast<std::size_t>(image)), 0});
        }
        if (!savings.empty()) finding.relief = imageRelief(in, savings);
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& costlyOnBackdropRule() {
    static const Rule rule = {
        .key = "costly-on-backdrop",
        .name = "Costly materials far away",
        .why =
            "Maps of normals, occlusion and coats are read for every pixel, also where the thing "
            "is too small to show them.",
        .measured =
            "Materials with a map of normals, occlusion or roughness, or an extension for coats, "
            "sheen or transmission, whose assets are all marked as backdrop or stay smaller than "
            "64 pixels from every spot.",
        .advice = "Fix Plainer materials drops the maps.",
        .fix = "plain-materials",
        .needsSurvey = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
