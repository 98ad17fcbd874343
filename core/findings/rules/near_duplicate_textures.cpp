#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxMean = 2;
constexpr int kMaxAnywhere = 8;
constexpr int kMinContrast = 24;  ///< Of the thumbnail: flat ones look alike without being so.

bool isPlain(const ImageFacts& facts) {
    int contrast = 0;
    for (std::size_t c = 0; c < 3; ++c) {
        int least = 255;
        int most = 0;
        for (std::size_t i = c; i < facts.thumbnail.size(); i += 4) {
            least = std::min<int>(least, facts.thumbnail[i]);
            most = std::max<int>(most, facts.thumbnail[i]);
        }
        contrast = std::max(contrast, most - least);
    }
    return contrast < kMinContrast;
}

/// Mean difference of the thumbnails; infinity where any field differs by much.
double difference(const ImageFacts& a, const ImageFacts& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.thumbnail.size(); ++i) {
        const int off = std::abs(int{a.thumbnail[i]} - int{b.thumbnail[i]});
        if (off > kMaxAnywhere) return std::numeric_limits<double>::infinity();
        sum += off;
    }
    return sum / static_cast<double>(a.thumbnail.size());
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    const std::vector<int>& equal = in.equalImages;
    const auto& images = in.scene.images;
    for (std::size_t i = 0; i < images.size(); ++i) {
        if (!in.images[i].isKnown || isPlain(in.images[i]) || in.progress.cancelled()) continue;
        for (std::size_t k = 0; k < i; ++k) {
            if (!in.images[k].isKnown || equal[i] == equal[k] ||
                images[i].width * images[k].height != images[k].width * images[i].height)
                continue;
            const double off = difference(in.images[i], in.images[k]);
            if (off >= kMaxMean) continue;
            Finding finding;
            finding.subjects = {imageSubject(in.scene, k), imageSubject(in.scene, i)};
            finding.sentence = fmt::format("they differ by {:.1f} of 255 in the mean", off);
            finding.evidence = {{"mean difference of 255", off, Quantity::Unit::Count, kMaxMean}};
            finding.relief = imageRelief(
                in, {{static_cast<std::uint32_t>(i), textureBytes(images[i], in.target), 0}});
            findings.push_back(std::move(finding));
            break;
        }
    }
    return findings;
}

}  // namespace

const Rule& nearDuplicateTexturesRule() {
    static const Rule rule = {
        .key = "near-duplicate-textures",
        .name = "Images that hardly differ",
        .why = "The eye takes them for one, memory does not.",
        .measured =
            "Images of equal shape whose means over 16 x 16 fields differ by less than 2 of 255 in "
            "the mean and 8 anywhere, though not in every pixel; plain ones are left out.",
        .advice = "Use one of them for both.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
