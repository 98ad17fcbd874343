#include <fmt/format.h>
#include <cmath>

#include "findings/rules/rule.h"
#include "survey/texture_mapping.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const TextureMappings mappings(in.scene);
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        bool isDrawn = false;
        for (const CountedView& view : in.views.views()) isDrawn = isDrawn || view.images[i];
        if (!isDrawn || !image.data) continue;
        bool isSeen = false;
        for (const auto& [material, use] : in.index.usesOf[i])
            isSeen = isSeen ||
                     std::isfinite(in.survey->seen.texCoordPerPixel[mappings.of(material, use)]);
        if (isSeen) continue;
        const double bytes = in.textures.of(i);
        Finding finding =
            imageFinding(in, i, fmt::format("drawn, but no spot sees it: {}", formatBytes(bytes)),
                         {{"memory", bytes, Quantity::Unit::Memory},
                          {"spots", static_cast<double>(in.survey->doneCount())}});
        finding.relief = imageRelief(in, {{static_cast<std::uint32_t>(i), bytes, 0}});
        findings.push_back(std::move(finding));
    }

    return findings;
}

}  // namespace

const Rule& textureNeverSeenRule() {
    static const Rule rule = {
        .key = "texture-never-seen",
        .name = "Seen from nowhere",
        .why = "It takes texture memory wherever its objects are drawn.",
        .measured =
            "Images of objects that are drawn from some spot, of which no ray met a surface.",
        .advice = "Look whether its surfaces are needed; a plain material would serve.",
        .needsSurvey = true,
        .needsCoverage = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
