// Images: what an encoded file holds, and its pixels.

#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace flentro {

struct ImageInfo {
    int width = 0;  ///< Pixels.
    int height = 0;
    int channels = 0;  ///< 1 to 4; 0 if the format is known only by its header.
    const char* mime = "";
};

/// Reads the header of PNG, JPEG, KTX2 and WebP data. Errors: InvalidInput.
[[nodiscard]] Expected<ImageInfo> probeImage(std::span<const std::byte> data);

struct Pixels {
    int width = 0;
    int height = 0;
    std::vector<std::uint8_t> rgba;  ///< [height * width * 4], top row first.

    [[nodiscard]] std::size_t count() const { return rgba.size() / 4; }
};

/// Decodes PNG, JPEG and WebP, halved until no edge exceeds `maxEdge`.
/// Errors: InvalidInput; Limit above 16,384 pixels an edge.
[[nodiscard]] Expected<Pixels> decodeImage(const Image& image, int maxEdge);

/// Takes the rows of an image, top row first.
class RowVisitor {
public:
    virtual ~RowVisitor() = default;
    virtual void begin(int width, int height) = 0;
    virtual void row(std::span<const std::uint8_t> rgba) = 0;  ///< [width * 4]
};
/// The same as decodeImage() at full size for what is looked at once: of most PNG images no more
/// than a row is in memory. Errors: as there; some rows may have been visited by then.
[[nodiscard]] Expected<void> visitRows(const Image& image, RowVisitor& visitor);

/// The picture at another size, smoothly.
[[nodiscard]] Pixels resizeImage(const Pixels& pixels, int width, int height);

/// The mip maps below `pixels`, each half of the one before (rounded down), to 1 x 1.
[[nodiscard]] std::vector<Pixels> mipMaps(const Pixels& pixels);

/// True for PNG with more than 8 bits a channel (ISO 15948, 11.2.2): decoding loses some.
[[nodiscard]] bool hasDeepChannels(const Image& image);

/// Encodes in the format of an image with so many channels: PNG, JPEG (which drops alpha) or WebP.
/// Empty for others.
[[nodiscard]] std::vector<std::byte> encodeLike(const Image& image, const Pixels& pixels);

/// A PNG of the pixels' first `channels`, 1 to 4.
[[nodiscard]] Image pngImage(const std::string& name, const Pixels& pixels, int channels);

/// Adds an image and a texture of its name that shows it; returns the texture's index. `sampler`:
/// -1 for none.
int addTexture(Scene& scene, Image image, int sampler);

/// Encodes as PNG.
[[nodiscard]] std::vector<std::byte> encodePng(const std::uint8_t* pixels, int width, int height,
                                               int channels);

}  // namespace flentro
