#include "picture/image_facts.h"

#include <algorithm>
#include <map>
#include <span>
#include <tuple>

#include "base/parallel.h"
#include "io/image.h"

namespace flentro {
namespace {

constexpr int kLargest = 16384;  ///< Pixels an edge: nothing is averaged before it is looked at.
constexpr int kClear = 16, kOpaque = 239;
constexpr int kSameColour = 2;  ///< Of 255: what encoding may change.

/// The mean of each of 16 x 16 fields; a smaller image is enlarged.
std::vector<std::uint8_t> thumbnailOf(const Pixels& pixels) {
    constexpr int kEdge = ImageFacts::kThumbnail;
    if (pixels.width < kEdge || pixels.height < kEdge)
        return resizeImage(pixels, kEdge, kEdge).rgba;
    std::vector<std::uint64_t> sums(kEdge * kEdge * 4);
    std::vector<std::uint32_t> counts(kEdge * kEdge);
    for (int y = 0; y < pixels.height; ++y)
        for (int column = 0; column < kEdge; ++column) {
            const auto field =
                static_cast<std::size_t>(std::int64_t{y} * kEdge / pixels.height * kEdge + column);
            const auto first = static_cast<int>(std::int64_t{column} * pixels.width / kEdge);
            const auto last = static_cast<int>(std::int64_t{column + 1} * pixels.width / kEdge);
            const std::uint8_t* pixel =
                &pixels.rgba[4 *
                             (static_cast<std::size_t>(y) * static_cast<std::size_t>(pixels.width) +
                              static_cast<std::size_t>(first))];
            std::array<std::uint32_t, 4> row{};
            for (int x = first; x < last; ++x, pixel += 4)
                for (std::size_t c = 0; c < 4; ++c) row[c] += pixel[c];
            for (std::size_t c = 0; c < 4; ++c) sums[4 * field + c] += row[c];
            counts[field] += static_cast<std::uint32_t>(last - first);
        }
    std::vector<std::uint8_t> thumbnail;
    for (std::size_t i = 0; i < sums.size(); ++i)
        thumbnail.push_back(
            static_cast<std::uint8_t>((sums[i] + counts[i / 4] / 2) / counts[i / 4]));
    return thumbnail;
}

}  // namespace

ImageFacts imageFactsOf(const Image& image) {
    ImageFacts facts;
    if (!image.data) return facts;
    const auto pixels = decodeImage(image, kLargest);
    if (!pixels || pixels->rgba.empty()) return facts;
    facts.isKnown = true;
    // Kept apart from the pixels, whose type may alias all others.
    std::array<std::uint8_t, 4> least{255, 255, 255, 255};
    std::array<std::uint8_t, 4> most{};
    std::size_t clear = 0;
    std::size_t opaque = 0;
    const std::uint8_t* const end = pixels->rgba.data() + pixels->rgba.size();
    for (const std::uint8_t* pixel = pixels->rgba.data(); pixel != end; pixel += 4) {
        for (std::size_t c = 0; c < 4; ++c) {
            least[c] = std::min(least[c], pixel[c]);
            most[c] = std::max(most[c], pixel[c]);
        }
        clear += pixel[3] < kClear;
        opaque += pixel[3] > kOpaque;
    }
    facts.least = least;
    facts.most = most;
    const auto count = static_cast<double>(pixels->rgba.size() / 4);
    facts.clear = static_cast<double>(clear) / count;
    facts.opaque = static_cast<double>(opaque) / count;
    // Deep channels lose some in decoding: such images are equal only to the bit.
    facts.pixels =
        hasDeepChannels(image) ? image.hash : hashBytes(std::as_bytes(std::span(pixels->rgba)));
    facts.thumbnail = thumbnailOf(*pixels);
    return facts;
}

bool ImageFacts::isOneColour() const {
    for (std::size_t c = 0; c < 4; ++c)
        if (most[c] - least[c] > kSameColour) return false;
    return isKnown;
}

std::vector<int> firstEqualImages(const Scene& scene, const std::vector<ImageFacts>& facts) {
    std::map<std::tuple<int, int, int, std::uint64_t, std::uint64_t>, int> known;
    std::vector<int> first;
    for (std::size_t i = 0; i < facts.size(); ++i) {
        const Image& image = scene.images[i];
        const Hash hash = facts[i].isKnown ? facts[i].pixels : image.hash;
        const auto self = static_cast<int>(i);
        first.push_back(image.data ? known
                                         .try_emplace({image.width, image.height, image.channels,
                                                       hash.low, hash.high},
                                                      self)
                                         .first->second
                                   : self);
    }
    return first;
}

Expected<std::vector<ImageFacts>> imageFacts(const Scene& scene, Progress& progress) {
    std::vector<ImageFacts> facts(scene.images.size());
    const bool finished =
        parallelFor(facts.size(), "Looking at textures", progress,
                    [&](std::size_t i) { facts[i] = imageFactsOf(scene.images[i]); });
    if (!finished) return stopped("Looking at textures");
    return facts;
}

}  // namespace flentro
