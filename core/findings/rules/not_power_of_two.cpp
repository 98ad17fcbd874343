#include <fmt/format.h>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        const auto odd = [](int edge) { return edge >= 16 && (edge & (edge - 1)) != 0; };
        if ((!odd(image.width) && !odd(image.height)) || !isImageShown(in, i)) continue;
        findings.push_back(
            imageFinding(in, i, fmt::format("{} x {} pixels", image.width, image.height),
                         {{"width", static_cast<double>(image.width), Quantity::Unit::Pixels},
                          {"height", static_cast<double>(image.height), Quantity::Unit::Pixels}}));
    }

    return findings;
}

}  // namespace

const Rule& notPowerOfTwoRule() {
    static const Rule rule = {
        .key = "not-power-of-two",
        .name = "Edges not powers of two",
        .why =
            "Some devices scale such images or give them no mip maps; block compression needs "
            "multiples of four.",
        .measured =
            "Images that are shown, with an edge of 16 pixels or more that is no power of two.",
        .advice = "Scale it to the next power of two.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
