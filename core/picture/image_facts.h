// What the pixels of images hold, as far as findings ask.

#pragma once

#include <array>

#include "base/error.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace flentro {

struct ImageFacts {
    static constexpr int kThumbnail = 16;  ///< Pixels an edge.

    bool isKnown = false;  ///< False: the image is missing or cannot be decoded.
    std::array<std::uint8_t, 4> least{}, most{};  ///< Of each channel.
    double clear = 0, opaque = 0;         ///< Shares of pixels with alpha below 16 and above 239.
    std::vector<std::uint8_t> thumbnail;  ///< [16][16][rgba]
    Hash pixels;                          ///< Of all of them.

    [[nodiscard]] bool isOneColour() const;
    /// True if alpha has two peaks, clear and opaque: leaves, fences, decals.
    [[nodiscard]] bool looksCutOut() const;
};

/// [images] The first that each is equal to in size and every pixel.
[[nodiscard]] std::vector<int> firstEqualImages(const Scene& scene,
                                                const std::vector<ImageFacts>& facts);

/// Decodes the image.
[[nodiscard]] ImageFacts imageFactsOf(const Image& image);

/// [images] Each decoded once, on all cores. Errors: Cancelled.
[[nodiscard]] Expected<std::vector<ImageFacts>> imageFacts(const Scene& scene, Progress& progress);

}  // namespace flentro
