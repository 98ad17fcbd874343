#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    std::set<std::pair<int, int>> told;
    for (std::size_t m = 0; m < in.scene.materials.size(); ++m) {
        const Material& material = in.scene.materials[m];
        const TextureUse* masks[2] = {nullptr, nullptr};
        for (const TextureUse& use : material.textures) {
            if (use.role == "occlusionTexture") masks[0] = &use;
            if (use.role == "metallicRoughnessTexture") masks[1] = &use;
        }
        if (!masks[0] || !masks[1] || !in.index.isShown(static_cast<std::uint32_t>(m))) continue;
        const auto imageOf = [&](const TextureUse* use) { return in.scene.imageOf(use->texture); };
        const std::pair<int, int> pair(imageOf(masks[0]), imageOf(masks[1]));
        if (pair.first < 0 || pair.second < 0 || pair.first == pair.second ||
            masks[0]->texCoord != masks[1]->texCoord ||
            masks[0]->transform != masks[1]->transform || !told.insert(pair).second)
            continue;
        const auto occlusion = static_cast<std::size_t>(pair.first);
        const Image& image = in.scene.images[occlusion];
        const Image& other = elementOf(in.scene.images, pair.second);
        if (image.width != other.width || image.height != other.height) continue;
        const double bytes = in.textures.of(occlusion);
        Finding finding = imageFinding(
            in, occlusion,
            fmt::format("and {} could be one: {}",
                        imageSubject(in.scene, static_cast<std::size_t>(pair.second)).name,
                        formatBytes(bytes)),
            {{"memory", bytes, Quantity::Unit::Memory}});
        finding.subjects.push_back(imageSubject(in.scene, static_cast<std::size_t>(pair.second)));
        finding.subjects.push_back(materialSubject(in.scene, m));
        finding.relief = imageRelief(in, {{static_cast<std::uint32_t>(occlusion), bytes, 0}});
        findings.push_back(std::move(finding));
    }

    return findings;
}

}  // namespace

const Rule& separableMasksRule() {
    static const Rule rule = {
        .key = "separable-masks",
        .name = "Masks that fit one image",
        .why =
            "Occlusion, roughness and metalness use one channel each of one image; two images take "
            "twice the memory and reads.",
        .measured =
            "Materials whose occlusion and roughness-metalness are different images of one size, "
            "laid by the same coordinates.",
        .advice = "Fix Masks together puts occlusion into the red channel of the other image.",
        .fix = "masks",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
