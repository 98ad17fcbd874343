#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        bool isPlain = false;
        for (const auto& [material, use] : in.index.usesOf[i]) {
            const int index = in.scene.materials[material].textures[use].texture;
            const int sampler = elementOf(in.scene.textures, index).sampler;
            isPlain = isPlain || (sampler >= 0 && in.index.isShown(material) &&
                                  !elementOf(in.scene.samplers, sampler).usesMipMaps());
        }
        if (!isPlain || edgeOf(image) < 64) continue;
        findings.push_back(imageFinding(
            in, i,
            fmt::format("{} x {} pixels, filtered without mip maps", image.width, image.height),
            {{"longer edge", static_cast<double>(edgeOf(image)), Quantity::Unit::Pixels, 64.0}}));
    }

    return findings;
}

}  // namespace

const Rule& noMipMapsRule() {
    static const Rule rule = {
        .key = "no-mip-maps",
        .name = "Read without mip maps",
        .why =
            "From afar such a texture flickers, and each pixel is read from far apart in memory.",
        .measured =
            "Images of 64 pixels or more that are shown through a sampler whose filter uses no mip "
            "maps.",
        .advice = "Fix Tidy lets its filter read mip maps.",
        .fix = "tidy",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
