#include <fmt/format.h>
#include <cmath>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const double limit = at(in.target.limits, Measure::TextureEdge);
    if (!isLimit(limit)) return findings;
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        if (edgeOf(image) <= limit || !isImageShown(in, i)) continue;
        int edge = edgeOf(image);
        int halvings = 0;
        for (; edge > limit && edge > 1; edge /= 2) ++halvings;
        const double bytes = in.textures.of(i) * (1 - std::ldexp(1.0, -2 * halvings));
        Finding finding = imageFinding(
            in, i, fmt::format("{} x {} of {:.0f} allowed", image.width, image.height, limit),
            {{"longer edge", static_cast<double>(edgeOf(image)), Quantity::Unit::Pixels, limit}});
        finding.relief = imageRelief(in, {{static_cast<std::uint32_t>(i), bytes, edge}});
        findings.push_back(std::move(finding));
    }

    return findings;
}

}  // namespace

const Rule& overLargestEdgeRule() {
    static const Rule rule = {
        .key = "over-largest-edge",
        .name = "Larger than target allows",
        .why = "Many devices cannot hold it at all, others scale it down while loading.",
        .measured = "The longer edge against the target's limit, of images that are shown.",
        .advice = "Fix Texture size halves it until the target takes it.",
        .fix = "texture-size",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
