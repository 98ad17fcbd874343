#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxMean = 2;
constexpr int kMaxAnywhere = 8;
/// Of the mean deviation of the thumbnails from their means: flat ones look alike without being so.
constexpr double kMaxOfContrast = 0.3;
constexpr double kMinContrast = 0.25;

/// Mean deviation of the thumbnail's values from the mean of their channel.
double contrastOf(const ImageFacts& facts) {
    double deviation = 0;
    for (std::size_t c = 0; c < 4; ++c) {
        double mean = 0;
        for (std::size_t i = c; i < facts.thumbnail.size(); i += 4) mean += facts.thumbnail[i];
        const std::size_t count = facts.thumbnail.size() / 4;
        mean /= static_cast<double>(count);
        for (std::size_t i = c; i < facts.thumbnail.size(); i += 4)
            deviation += std::fabs(facts.thumbnail[i] - mean);
    }
    return deviation / static_cast<double>(std::max<std::size_t>(1, facts.thumbnail.size()));
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
        if (!in.images[i].isKnown || in.progress.cancelled()) continue;
        const double contrast = contrastOf(in.images[i]);
        if (contrast < kMinContrast) continue;
        for (std::size_t k = 0; k < i; ++k) {
            if (!in.images[k].isKnown || equal[i] == equal[k] ||
                images[i].width * images[k].height != images[k].width * images[i].height)
                continue;
            const double off = difference(in.images[i], in.images[k]);
            if (off >= std::min(kMaxMean, kMaxOfContrast * contrast)) continue;
            Finding finding;
            finding.subjects = {imageSubject(in.scene, k), imageSubject(in.scene, i)};
            finding.sentence = fmt::format("they differ by {:.1f} of 255 in the mean", off);
            finding.evidence = {{"mean difference of 255", off, Quantity::Unit::Count, kMaxMean}};
            finding.relief =
                imageRelief(in, {{static_cast<std::uint32_t>(i), in.textures.of(i), 0}});
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
            "the mean, 8 anywhere and three tenths of their own contrast, though not in every "
            "pixel; plain ones are left out.",
        .advice = "Use one of them for both.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
