#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinShare = 0.97;

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t m = 0; m < in.scene.materials.size(); ++m) {
        const Material& material = in.scene.materials[m];
        const int texture = material.texture("baseColorTexture");
        if (material.alphaMode != AlphaMode::Blend || material.baseColor.w() < 0.99F ||
            !in.index.isShown(static_cast<std::uint32_t>(m)))
            continue;
        const int image = in.scene.imageOf(texture);
        if (image < 0) continue;
        const ImageFacts& facts = elementOf(in.images, image);
        const double settled = facts.clear + facts.opaque;
        if (!facts.isKnown || settled < kMinShare) continue;
        Finding finding;
        finding.subjects = {materialSubject(in.scene, m),
                            imageSubject(in.scene, static_cast<std::size_t>(image))};
        finding.sentence = facts.clear > 0 ? fmt::format("{} of its pixels are clear or opaque",
                                                         formatShare(settled))
                                           : std::string("all of it is opaque");
        finding.evidence = {{"clear or opaque", settled, Quantity::Unit::Share, kMinShare}};
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& blendCouldBeCutOutRule() {
    static const Rule rule = {
        .key = "blend-could-be-cut-out",
        .name = "Blended where a cut would do",
        .why = "What is blended is sorted, drawn last and fills every pixel behind it as well.",
        .measured =
            "Blended materials of full opacity whose image is clear or opaque in at least 97 % of "
            "its pixels, and clear somewhere.",
        .advice = "Fix Plainer materials cuts it out instead.",
        .fix = "plain-materials",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
