#include "picture/image_facts.h"

#include <algorithm>
#include <map>
#include <span>
#include <tuple>
#include <type_traits>

#include "base/parallel.h"
#include "io/image.h"

namespace flentro {
namespace {

constexpr int kLargest = 16384;  ///< Pixels an edge: nothing is averaged before it is looked at.
constexpr int kClear = 16, kOpaque = 239;
constexpr int kSameColour = 2;  ///< Of 255: what encoding may change.

/// Bytes that are looked at together; a compiler makes wide registers of them.
constexpr std::size_t kLanes = 64;

/// Calls visit(bytes, count) for all, kLanes at a time, the last fewer. They are copies, which
/// nothing that is written can alias.
template <typename Visit>
void forEachChunk(std::span<const std::uint8_t> bytes, Visit&& visit) {
    std::array<std::uint8_t, kLanes> chunk{};
    std::size_t at = 0;
    for (; at + kLanes <= bytes.size(); at += kLanes) {
        std::copy_n(bytes.data() + at, kLanes, chunk.data());
        visit(chunk, std::integral_constant<std::size_t, kLanes>());
    }
    std::copy(bytes.begin() + static_cast<std::ptrdiff_t>(at), bytes.end(), chunk.begin());
    if (at < bytes.size()) visit(chunk, bytes.size() - at);
}

/// The mean of each of 16 x 16 fields; a smaller image is enlarged.
std::vector<std::uint8_t> thumbnailOf(const Pixels& pixels) {
    constexpr int kEdge = ImageFacts::kThumbnail;
    if (pixels.width < kEdge || pixels.height < kEdge)
        return resizeImage(pixels, kEdge, kEdge).rgba;
    const std::size_t stride = 4 * static_cast<std::size_t>(pixels.width);
    const auto begins = [&](int edge, int size) {
        return static_cast<std::size_t>(std::int64_t{edge} * size / kEdge);
    };
    std::vector<std::uint8_t> thumbnail;
    for (int row = 0; row < kEdge; ++row) {
        // As many rows as fall into the fields: y * kEdge / height is `row`.
        const std::size_t first =
            begins(row, pixels.height) + (std::int64_t{row} * pixels.height % kEdge != 0);
        const std::size_t last =
            begins(row + 1, pixels.height) + (std::int64_t{row + 1} * pixels.height % kEdge != 0);
        std::vector<std::uint32_t> sums(stride, 0);
        for (std::size_t y = first; y < last; ++y) {
            std::uint32_t* sum = sums.data();
            forEachChunk({pixels.rgba.data() + y * stride, stride},
                         [&](const auto& bytes, auto count) {
                             for (std::size_t i = 0; i < count; ++i) sum[i] += bytes[i];
                             sum += count;
                         });
        }
        for (int column = 0; column < kEdge; ++column) {
            const std::size_t from = begins(column, pixels.width);
            const std::size_t to = begins(column + 1, pixels.width);
            const std::uint64_t count = (last - first) * (to - from);
            for (std::size_t c = 0; c < 4; ++c) {
                std::uint64_t sum = 0;
                for (std::size_t x = from; x < to; ++x) sum += sums[4 * x + c];
                thumbnail.push_back(static_cast<std::uint8_t>((sum + count / 2) / count));
            }
        }
    }
    return thumbnail;
}

struct Extremes {
    std::array<std::uint8_t, 4> least{255, 255, 255, 255};
    std::array<std::uint8_t, 4> most{};
};

Extremes extremesOf(std::span<const std::uint8_t> rgba) {
    std::array<std::uint8_t, kLanes> least, most{};
    least.fill(255);
    forEachChunk(rgba, [&](const auto& bytes, auto count) {
        for (std::size_t i = 0; i < count; ++i) {
            least[i] = std::min(least[i], bytes[i]);
            most[i] = std::max(most[i], bytes[i]);
        }
    });
    Extremes result;
    for (std::size_t i = 0; i < kLanes; ++i) {
        result.least[i % 4] = std::min(result.least[i % 4], least[i]);
        result.most[i % 4] = std::max(result.most[i % 4], most[i]);
    }
    return result;
}

}  // namespace

ImageFacts imageFactsOf(const Image& image) {
    ImageFacts facts;
    if (!image.data) return facts;
    const auto pixels = decodeImage(image, kLargest);
    if (!pixels || pixels->rgba.empty()) return facts;
    facts.isKnown = true;
    const auto [least, most] = extremesOf(pixels->rgba);
    facts.least = least;
    facts.most = most;
    std::size_t clear = 0;
    std::size_t opaque = least[3] > kOpaque ? pixels->rgba.size() / 4 : 0;
    for (std::size_t i = 3; least[3] <= kOpaque && i < pixels->rgba.size(); i += 4) {
        clear += pixels->rgba[i] < kClear;
        opaque += pixels->rgba[i] > kOpaque;
    }
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
