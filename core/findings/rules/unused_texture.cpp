#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        if (!image.data || isImageShown(in, i)) continue;
        findings.push_back(imageFinding(
            in, i,
            fmt::format("{} x {} pixels that no placed object shows, {} in the file", image.width,
                        image.height, formatBytes(static_cast<double>(image.data->size()))),
            {{"file", static_cast<double>(image.data->size()), Quantity::Unit::Memory}}));
    }

    return findings;
}

}  // namespace

const Rule& unusedTextureRule() {
    static const Rule rule = {
        .key = "unused-texture",
        .name = "Images that nothing shows",
        .why =
            "They are loaded with the scene and take memory in programs that do not sort them out.",
        .measured = "Images that no material of a placed object reads.",
        .advice = "Fix Tidy drops it.",
        .fix = "tidy",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
