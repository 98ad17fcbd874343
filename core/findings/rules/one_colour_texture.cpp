#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        if (edgeOf(image) < 16 || !in.images[i].isOneColour() || !isImageShown(in, i)) continue;
        const double bytes = in.textures.of(i);
        Finding finding = imageFinding(in, i,
                                       fmt::format("{} x {} pixels of one colour: {} of memory",
                                                   image.width, image.height, formatBytes(bytes)),
                                       {{"memory", bytes, Quantity::Unit::Memory}});
        finding.relief = imageRelief(in, {{static_cast<std::uint32_t>(i), bytes, 0}});
        finding.isExact = true;
        findings.push_back(std::move(finding));
    }

    return findings;
}

}  // namespace

const Rule& oneColourTextureRule() {
    static const Rule rule = {
        .key = "one-colour-texture",
        .name = "One colour all over",
        .why = "A factor of the material does the same and takes no memory.",
        .measured = "Images of 16 pixels or more in which no channel varies by more than 2 of 255.",
        .advice = "Fix Tidy turns it into a number of its material.",
        .fix = "tidy",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
