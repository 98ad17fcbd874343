#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "survey/analysis.h"

namespace flentro {
namespace {

constexpr double kMinBytes = 512 * 1024;

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (const TextureNeed& need : findTextureNeeds(in.scene, *in.survey)) {
        if (need.bytes < kMinBytes) continue;
        const Image& image = in.scene.images[need.image];
        Finding finding = imageFinding(
            in, need.image,
            fmt::format("{} x {} where {} would serve: {} of memory", image.width, image.height,
                        need.edge, formatBytes(need.bytes)),
            {{"stored edge", static_cast<double>(edgeOf(image)), Quantity::Unit::Pixels},
             {"needed edge", static_cast<double>(need.edge), Quantity::Unit::Pixels},
             {"texels a pixel", need.texelsPerPixel, Quantity::Unit::Count, 2.0},
             {"memory", need.bytes, Quantity::Unit::Memory}});
        finding.relief = imageRelief(in, {{need.image, need.bytes, need.edge}});
        finding.isExact = true;
        findings.push_back(std::move(finding));
    }

    return findings;
}

}  // namespace

const Rule& oversizeTextureRule() {
    static const Rule rule = {
        .key = "oversize-texture",
        .name = "Larger than any view needs",
        .why = "Mip levels that are never shown take three quarters of the memory of the next.",
        .measured =
            "Texels for a pixel where the image was seen largest, through every set of "
            "coordinates and transform: told from 2 on, where the finest level is never "
            "shown, and 512 KiB.",
        .advice = "Fix Texture size makes it as large as it is seen.",
        .fix = "texture-size",
        .needsSurvey = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
