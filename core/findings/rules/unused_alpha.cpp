
#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const auto readsAlpha = [&](std::size_t image) {
        for (const auto& [index, use] : in.index.usesOf[image]) {
            const Material& material = in.scene.materials[index];
            const std::string& role = material.textures[use].role;
            // Extensions keep roughness and glossiness there.
            if (role == "baseColorTexture" ? material.alphaMode != AlphaMode::Opaque
                                           : role.find("pecular") != std::string::npos ||
                                                 role.find("heen") != std::string::npos)
                return true;
        }
        return false;
    };
    for (std::size_t i = 0; i < in.scene.images.size(); ++i) {
        const Image& image = in.scene.images[i];
        const ImageFacts& facts = in.images[i];
        const bool has = image.channels == 4 || image.channels == 2;
        if (!has || !facts.isKnown || !isImageShown(in, i)) continue;
        const bool isOpaque = facts.least[3] == 255;
        if (!isOpaque && readsAlpha(i)) continue;
        const bool looksMeant = !isOpaque && facts.looksCutOut();
        findings.push_back(
            imageFinding(in, i,
                         isOpaque     ? "its alpha is opaque everywhere"
                         : looksMeant ? "no material reads its alpha, which looks like a cut-out"
                                      : "no material reads its alpha",
                         {{"least alpha of 255", static_cast<double>(facts.least[3])}}));
        if (!looksMeant) findings.back().fix = proposedFix(in, "tidy");
    }

    return findings;
}

}  // namespace

const Rule& unusedAlphaRule() {
    static const Rule rule = {
        .key = "unused-alpha",
        .name = "An alpha channel without use",
        .why = "Storage with alpha takes up to twice the memory of one without.",
        .measured =
            "Images with an alpha channel that is opaque everywhere, or that only materials read "
            "which are opaque.",
        .advice =
            "Fix Tidy stores it without alpha; one that looks like a cut-out stays: give its "
            "material a cut-out, or drop the alpha by hand.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
