#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <optional>

#include "base/index.h"
#include "base/median.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxRatio = 4;
constexpr std::size_t kMinAssets = 8;
constexpr double kLong = 40;  ///< Metres: grounds and backdrops.

/// Twice the areas of a part on its surface, in square metres at scale 1, and in texels of its base
/// colour.
struct Areas {
    double surface = 0;
    double texels = 0;
};

Areas areasOf(const Scene& scene, const Part& part) {
    if (part.material < 0 || !part.isTriangles()) return {};
    const Material& material = elementOf(scene.materials, part.material);
    const auto use = std::ranges::find(material.textures, "baseColorTexture", &TextureUse::role);
    if (use == material.textures.end()) return {};
    const int image = scene.imageOf(use->texture);
    const Stream* positions = part.find("POSITION");
    const Stream* coords = part.find(fmt::format("TEXCOORD_{}", use->texCoord));
    if (image < 0 || !positions || !coords) return {};
    const Image& shown = elementOf(scene.images, image);
    const std::vector<Vec3f> points = toVectors(*positions);
    const std::vector<Vec3f> stored = toVectors(*coords);
    const auto lookUp = [&](std::uint32_t v) { return use->lookUp(stored[v].head<2>()); };
    Areas areas;
    for (std::size_t c = 0; c + 2 < part.indices.size(); c += 3) {
        const std::uint32_t* t = &part.indices[c];
        const Vec3f u = points[t[1]] - points[t[0]], v = points[t[2]] - points[t[0]];
        const Vec2f s = lookUp(t[1]) - lookUp(t[0]), r = lookUp(t[2]) - lookUp(t[0]);
        areas.surface += static_cast<double>(u.cross(v).norm());
        areas.texels += std::fabs(static_cast<double>(s.x() * r.y() - s.y() * r.x())) *
                        shown.width * shown.height;
    }
    return areas;
}

/// Texels along a metre, at the largest scale of its copies; 0: no texture.
double densityOf(const FindingInput& in, std::size_t asset) {
    Areas all;
    for (const Part& part : in.scene.assets[asset].mesh->parts) {
        const Areas areas = areasOf(in.scene, part);
        if (!(areas.texels > 0)) continue;
        all.surface += areas.surface;
        all.texels += areas.texels;
    }
    double scale = 0;
    for (const std::uint32_t i : in.index.objectsOf[asset])
        scale = std::max(scale, in.scene.objects[i].scale);
    return all.surface > 0 && scale > 0 ? std::sqrt(all.texels / all.surface) / scale : 0;
}

/// Metres of the longest copy.
double lengthOf(const FindingInput& in, std::size_t asset) {
    double length = 0;
    for (const std::uint32_t i : in.index.objectsOf[asset])
        length = std::max(length, sizeOf(in.scene.objects[i]));
    return length;
}

/// All that are too fine, or too coarse, the farthest from the usual first.
std::optional<Finding> findingOf(const FindingInput& in, const std::vector<double>& densities,
                                 double usual, bool coarse,
                                 const std::function<bool(std::size_t)>& isOne) {
    std::vector<std::size_t> assets;
    for (std::size_t a = 0; a < densities.size(); ++a)
        if (isOne(a)) assets.push_back(a);
    if (assets.empty()) return std::nullopt;
    std::stable_sort(assets.begin(), assets.end(), [&](std::size_t a, std::size_t b) {
        return coarse ? densities[a] < densities[b] : densities[a] > densities[b];
    });
    Finding finding;
    for (const std::size_t a : assets) finding.subjects.push_back(assetSubject(in.scene, a));
    finding.sentence = fmt::format("{} {:.0f} texels a metre and {} where {:.0f} are usual",
                                   counted(assets.size(), "asset shows", "assets show"),
                                   densities[assets.front()], coarse ? "more" : "less", usual);
    finding.evidence = {
        {coarse ? "fewest texels a metre" : "most texels a metre", densities[assets.front()],
         Quantity::Unit::Count, coarse ? usual / kMaxRatio : usual * kMaxRatio},
        {"usual in this scene", usual}};
    finding.where = whereDrawn(in, assets.front());
    return finding;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<double> densities(in.scene.assets.size(), 0);
    std::vector<double> known;
    for (std::size_t a = 0; a < densities.size(); ++a) {
        densities[a] = densityOf(in, a);
        if (densities[a] > 0) known.push_back(densities[a]);
    }
    if (known.size() < kMinAssets) return {};
    const double usual = median(std::move(known));
    std::vector<Finding> findings;
    for (const bool coarse : {false, true}) {
        const auto isOne = [&](std::size_t a) {
            const double ratio = densities[a] / usual;
            return coarse ? ratio > 0 && ratio <= 1 / kMaxRatio && lengthOf(in, a) <= kLong
                          : ratio >= kMaxRatio;
        };
        if (auto finding = findingOf(in, densities, usual, coarse, isOne))
            findings.push_back(std::move(*finding));
    }
    return findings;
}

}  // namespace

const Rule& unevenTexelDensityRule() {
    static const Rule rule = {
        .key = "uneven-texel-density",
        .name = "Texels of unusual density",
        .why =
            "What is much finer than all around it wastes memory, what is much coarser looks "
            "blurred beside it.",
        .measured =
            "Texels of the base colour along a metre of surface, against the median of all "
            "textured assets that are placed: told from four times or a quarter on, where eight "
            "assets or more have textures; things longer than 40 m are not told for being coarse.",
        .advice = "Another edge of the image, or other texture coordinates.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
