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
class Thumbnail {
public:
    void begin(int width, int height) {
        size_ = {width, height, {}};
        sums_.assign(isSmall() ? 0 : 4 * static_cast<std::size_t>(width), 0);
    }
    void row(std::span<const std::uint8_t> rgba) {
        if (isSmall()) {
            size_.rgba.insert(size_.rgba.end(), rgba.begin(), rgba.end());
            return;
        }
        std::uint32_t* sum = sums_.data();
        forEachChunk(rgba, [&](const auto& bytes, auto count) {
            for (std::size_t i = 0; i < count; ++i) sum[i] += bytes[i];
            sum += count;
        });
        ++rows_;
        // Of a row of fields are those for which y * kEdge / height is the same.
        ++y_;
        if (std::int64_t{y_} * kEdge / size_.height != std::int64_t{y_ - 1} * kEdge / size_.height)
            endFields();
    }
    [[nodiscard]] std::vector<std::uint8_t> take() {
        return isSmall() ? resizeImage(size_, kEdge, kEdge).rgba : std::move(fields_);
    }

private:
    static constexpr int kEdge = ImageFacts::kThumbnail;

    [[nodiscard]] bool isSmall() const { return size_.width < kEdge || size_.height < kEdge; }
    void endFields() {
        const auto begin = [&](int column) {
            return static_cast<std::size_t>(std::int64_t{column} * size_.width / kEdge);
        };
        for (int column = 0; column < kEdge; ++column) {
            const std::uint64_t count = rows_ * (begin(column + 1) - begin(column));
            for (std::size_t c = 0; c < 4; ++c) {
                std::uint64_t sum = 0;
                for (std::size_t x = begin(column); x < begin(column + 1); ++x)
                    sum += sums_[4 * x + c];
                fields_.push_back(static_cast<std::uint8_t>((sum + count / 2) / count));
            }
        }
        std::fill(sums_.begin(), sums_.end(), 0);
        rows_ = 0;
    }

    Pixels size_;  ///< All of a small image; of others the edges alone.
    int y_ = 0;
    std::uint64_t rows_ = 0;           ///< In the present row of fields.
    std::vector<std::uint32_t> sums_;  ///< [width * 4] Of those.
    std::vector<std::uint8_t> fields_;
};

/// Facts of an image, taken row by row.
class FactTaker final : public RowVisitor {
public:
    void begin(int width, int height) override {
        facts_.least.fill(255);
        pixels_ = static_cast<double>(width) * static_cast<double>(height);
        thumbnail_.begin(width, height);
    }
    void row(std::span<const std::uint8_t> rgba) override {
        thumbnail_.row(rgba);
        hasher_.bytes(std::as_bytes(rgba));
        std::array<std::uint8_t, kLanes> least, most{};
        least.fill(255);
        forEachChunk(rgba, [&](const auto& bytes, auto count) {
            for (std::size_t i = 0; i < count; ++i) {
                least[i] = std::min(least[i], bytes[i]);
                most[i] = std::max(most[i], bytes[i]);
            }
        });
        for (std::size_t i = 0; i < kLanes; ++i) {
            facts_.least[i % 4] = std::min(facts_.least[i % 4], least[i]);
            facts_.most[i % 4] = std::max(facts_.most[i % 4], most[i]);
        }
        std::uint8_t leastAlpha = 255;
        for (std::size_t i = 3; i < kLanes; i += 4) leastAlpha = std::min(leastAlpha, least[i]);
        countAlpha(rgba, leastAlpha);
    }
    [[nodiscard]] ImageFacts take() {
        facts_.isKnown = true;
        facts_.clear = static_cast<double>(clear_) / pixels_;
        facts_.opaque = static_cast<double>(opaque_) / pixels_;
        facts_.pixels = hasher_.result();
        facts_.thumbnail = thumbnail_.take();
        return std::move(facts_);
    }

private:
    void countAlpha(std::span<const std::uint8_t> rgba, std::uint8_t least) {
        if (least > kOpaque) {
            opaque_ += rgba.size() / 4;
            return;
        }
        for (std::size_t i = 3; i < rgba.size(); i += 4) {
            clear_ += rgba[i] < kClear;
            opaque_ += rgba[i] > kOpaque;
        }
    }

    ImageFacts facts_;
    double pixels_ = 0;
    std::size_t clear_ = 0;
    std::size_t opaque_ = 0;
    Hasher hasher_;
    Thumbnail thumbnail_;
};

}  // namespace

ImageFacts imageFactsOf(const Image& image) {
    if (!image.data) return {};
    FactTaker taker;
    if (!visitRows(image, taker)) return {};
    ImageFacts facts = taker.take();
    // Deep channels lose some in decoding: such images are equal only to the bit.
    if (hasDeepChannels(image)) facts.pixels = image.hash;
    return facts;
}

bool ImageFacts::looksCutOut() const {
    constexpr double kPeak = 0.05;     ///< Of the pixels.
    constexpr double kBetween = 0.25;  ///< Soft edges.
    return clear > kPeak && opaque > kPeak && clear + opaque > 1 - kBetween;
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
