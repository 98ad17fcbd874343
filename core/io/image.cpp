#include "io/image.h"

#include <spng.h>
#include <stb_image.h>
#include <stb_image_resize.h>
#include <stb_image_write.h>
#include <webp/decode.h>
#include <webp/encode.h>

#include <algorithm>
#include <cassert>
#include <cstring>
#include <memory>
#include <optional>

namespace flentro {
namespace {

constexpr int kLargestEdge = 16384;
constexpr int kQuality = 92;  ///< Of JPEG and WebP, 0 to 100.

std::uint32_t littleEndian(std::span<const std::byte> data, std::size_t at, int bytes) {
    std::uint32_t value = 0;
    for (int i = bytes - 1; i >= 0; --i)
        value = value << 8 | std::to_integer<std::uint32_t>(data[at + static_cast<std::size_t>(i)]);
    return value;
}

bool startsWith(std::span<const std::byte> data, std::string_view magic, std::size_t at = 0) {
    return data.size() >= at + magic.size() &&
           std::memcmp(data.data() + at, magic.data(), magic.size()) == 0;
}

bool isPng(std::span<const std::byte> data) {
    return startsWith(data, "\x89PNG");
}

bool isWebP(std::span<const std::byte> data) {
    return startsWith(data, "RIFF") && startsWith(data, "WEBP", 8);
}

/// Khronos KTX 2.0, section 3: width and height follow the identifier and two words.
ImageInfo probeKtx2(std::span<const std::byte> data) {
    return {static_cast<int>(littleEndian(data, 20, 4)),
            static_cast<int>(littleEndian(data, 24, 4)), 0, "image/ktx2"};
}

Expected<ImageInfo> probeWebP(std::span<const std::byte> data) {
    WebPBitstreamFeatures features;
    if (WebPGetFeatures(reinterpret_cast<const std::uint8_t*>(data.data()), data.size(),
                        &features) != VP8_STATUS_OK)
        return fail(ErrorCode::InvalidInput, "not a readable WebP image");
    return ImageInfo{features.width, features.height, features.has_alpha != 0 ? 4 : 3,
                     "image/webp"};
}

Pixels resized(const std::uint8_t* rgba, int width, int height, int toWidth, int toHeight) {
    Pixels result{toWidth, toHeight, {}};
    result.rgba.resize(static_cast<std::size_t>(toWidth) * static_cast<std::size_t>(toHeight) * 4);
    stbir_resize_uint8(rgba, width, height, 0, result.rgba.data(), toWidth, toHeight, 0, 4);
    return result;
}

/// Room for an image; none if an edge is not of a size that is decoded.
std::optional<Pixels> pixelsOf(int width, int height) {
    if (width < 1 || height < 1 || std::max(width, height) > kLargestEdge) return {};
    const std::size_t count = static_cast<std::size_t>(width) * static_cast<std::size_t>(height);
    return Pixels{width, height, std::vector<std::uint8_t>(4 * count)};
}

std::optional<Pixels> decodeWebP(std::span<const std::byte> data) {
    const auto* bytes = reinterpret_cast<const std::uint8_t*>(data.data());
    int width = 0;
    int height = 0;
    if (!WebPGetInfo(bytes, data.size(), &width, &height)) return {};
    auto pixels = pixelsOf(width, height);
    if (pixels && !WebPDecodeRGBAInto(bytes, data.size(), pixels->rgba.data(), pixels->rgba.size(),
                                      4 * width))
        return {};
    return pixels;
}

/// A PNG file whose header was read. Sums that are told wrong do no harm: such files are shown
/// everywhere else.
class PngFile {
public:
    explicit PngFile(std::span<const std::byte> data)
        : context_(spng_ctx_new(0), spng_ctx_free),
          isGood_(context_ &&
                  spng_set_crc_action(context_.get(), SPNG_CRC_USE, SPNG_CRC_USE) == 0 &&
                  spng_set_png_buffer(context_.get(), data.data(), data.size()) == 0 &&
                  spng_get_ihdr(context_.get(), &header_) == 0 && header_.width <= kLargestEdge &&
                  header_.height <= kLargestEdge) {}

    [[nodiscard]] explicit operator bool() const { return isGood_; }
    [[nodiscard]] int width() const { return static_cast<int>(header_.width); }
    [[nodiscard]] int height() const { return static_cast<int>(header_.height); }
    /// True if its rows come one after the other.
    [[nodiscard]] bool isInOrder() const { return header_.interlace_method == 0; }

    [[nodiscard]] bool decodeInto(std::vector<std::uint8_t>& rgba) {
        return spng_decode_image(context_.get(), rgba.data(), rgba.size(), SPNG_FMT_RGBA8,
                                 SPNG_DECODE_TRNS) == 0;
    }
    [[nodiscard]] bool visit(RowVisitor& visitor) {
        if (spng_decode_image(context_.get(), nullptr, 0, SPNG_FMT_RGBA8,
                              SPNG_DECODE_TRNS | SPNG_DECODE_PROGRESSIVE) != 0)
            return false;
        visitor.begin(width(), height());
        std::vector<std::uint8_t> row(std::size_t{header_.width} * 4);
        for (int y = 0; y < height(); ++y) {
            const int error = spng_decode_row(context_.get(), row.data(), row.size());
            if (error != 0 && error != SPNG_EOI) return false;
            visitor.row(row);
        }
        return true;
    }

private:
    std::unique_ptr<spng_ctx, void (*)(spng_ctx*)> context_;
    spng_ihdr header_{};
    bool isGood_;
};

std::optional<Pixels> decodePng(std::span<const std::byte> data) {
    PngFile file(data);
    if (!file) return {};
    auto pixels = pixelsOf(file.width(), file.height());
    if (pixels && !file.decodeInto(pixels->rgba)) return {};
    return pixels;
}

std::optional<Pixels> decodeJpeg(std::span<const std::byte> data) {
    int width = 0;
    int height = 0;
    int channels = 0;
    const std::unique_ptr<std::uint8_t, void (*)(void*)> raw(
        stbi_load_from_memory(reinterpret_cast<const std::uint8_t*>(data.data()),
                              static_cast<int>(data.size()), &width, &height, &channels, 4),
        stbi_image_free);
    if (!raw) return {};
    auto pixels = pixelsOf(width, height);
    if (pixels) std::copy_n(raw.get(), pixels->rgba.size(), pixels->rgba.begin());
    return pixels;
}

/// RGBA of what the file holds; none if it cannot be decoded.
std::optional<Pixels> decode(std::span<const std::byte> data) {
    if (isWebP(data)) return decodeWebP(data);
    return isPng(data) ? decodePng(data) : decodeJpeg(data);
}

}  // namespace

Expected<ImageInfo> probeImage(std::span<const std::byte> data) {
    if (data.size() >= 32 && startsWith(data, "\xABKTX 20\xBB")) return probeKtx2(data);
    if (data.size() >= 32 && isWebP(data)) return probeWebP(data);
    ImageInfo info;
    info.mime = isPng(data) ? "image/png" : "image/jpeg";
    const bool known = isPng(data) || startsWith(data, "\xFF\xD8");
    if (!known || data.size() > std::size_t{1} << 30 ||
        !stbi_info_from_memory(reinterpret_cast<const stbi_uc*>(data.data()),
                               static_cast<int>(data.size()), &info.width, &info.height,
                               &info.channels))
        return fail(ErrorCode::InvalidInput, "not a readable PNG, JPEG, KTX2 or WebP image");
    return info;
}

namespace {

/// Errors: NotFound, Limit.
Expected<void> checkPresent(const Image& image) {
    if (!image.data) return fail(ErrorCode::NotFound, "the image is missing", image.name);
    if (std::max(image.width, image.height) > kLargestEdge)
        return fail(ErrorCode::Limit, "an edge is longer than 16,384 pixels", image.name);
    return {};
}

tl::unexpected<Error> undecodable(const Image& image) {
    return fail(ErrorCode::InvalidInput, "the image cannot be decoded", image.name);
}

}  // namespace

Expected<void> visitRows(const Image& image, RowVisitor& visitor) {
    if (auto present = checkPresent(image); !present) return present;
    if (PngFile file(*image.data); isPng(*image.data) && file && file.isInOrder()) {
        if (!file.visit(visitor)) return undecodable(image);
        return {};
    }
    const auto pixels = decode(*image.data);
    if (!pixels) return undecodable(image);
    visitor.begin(pixels->width, pixels->height);
    const std::size_t stride = 4 * static_cast<std::size_t>(pixels->width);
    for (std::size_t at = 0; at < pixels->rgba.size(); at += stride)
        visitor.row({pixels->rgba.data() + at, stride});
    return {};
}

Expected<Pixels> decodeImage(const Image& image, int maxEdge) {
    if (auto present = checkPresent(image); !present) return tl::unexpected(present.error());
    auto pixels = decode(*image.data);
    if (!pixels) return undecodable(image);
    int width = pixels->width;
    int height = pixels->height;
    while (std::max(width, height) > maxEdge) {
        width = std::max(1, width / 2);
        height = std::max(1, height / 2);
    }
    if (width == pixels->width && height == pixels->height) return std::move(*pixels);
    return resizeImage(*pixels, width, height);
}

Pixels resizeImage(const Pixels& pixels, int width, int height) {
    if (width == pixels.width && height == pixels.height) return pixels;
    return resized(pixels.rgba.data(), pixels.width, pixels.height, width, height);
}

std::vector<Pixels> mipMaps(const Pixels& pixels) {
    std::vector<Pixels> maps;
    const Pixels* last = &pixels;
    while (std::max(last->width, last->height) > 1) {
        maps.push_back(resized(last->rgba.data(), last->width, last->height,
                               std::max(1, last->width / 2), std::max(1, last->height / 2)));
        last = &maps.back();
    }
    return maps;
}

bool hasDeepChannels(const Image& image) {
    constexpr std::size_t kDepth = 24;
    return image.mime == "image/png" && image.data && image.data->size() > kDepth &&
           std::to_integer<int>((*image.data)[kDepth]) > 8;
}

namespace {

void append(void* context, void* data, int size) {
    auto& out = *static_cast<std::vector<std::byte>*>(context);
    const auto* bytes = static_cast<const std::byte*>(data);
    out.insert(out.end(), bytes, bytes + size);
}

/// The first `channels` of each pixel; of two the first and alpha.
std::vector<std::uint8_t> packed(const Pixels& pixels, int channels) {
    std::vector<std::uint8_t> result;
    const auto count = static_cast<std::size_t>(channels);
    result.reserve(pixels.count() * count);
    for (std::size_t i = 0; i < pixels.rgba.size(); i += 4)
        for (std::size_t c = 0; c < count; ++c)
            result.push_back(pixels.rgba[i + (count == 2 && c == 1 ? 3 : c)]);
    return result;
}

std::vector<std::byte> encodeWebP(const Pixels& pixels) {
    std::uint8_t* data = nullptr;
    const std::size_t size = WebPEncodeRGBA(pixels.rgba.data(), pixels.width, pixels.height,
                                            pixels.width * 4, kQuality, &data);
    const auto* bytes = reinterpret_cast<const std::byte*>(data);
    std::vector<std::byte> result(bytes, bytes + size);
    WebPFree(data);
    return result;
}

}  // namespace

std::vector<std::byte> encodeLike(const Image& image, const Pixels& pixels) {
    if (image.mime == "image/webp") return encodeWebP(pixels);
    const int channels = std::clamp(image.channels, 1, 4);
    if (image.mime == "image/png")
        return encodePng(packed(pixels, channels).data(), pixels.width, pixels.height, channels);
    std::vector<std::byte> result;
    if (image.mime != "image/jpeg") return result;
    const std::vector<std::uint8_t> rgb = packed(pixels, 3);
    stbi_write_jpg_to_func(append, &result, pixels.width, pixels.height, 3, rgb.data(), kQuality);
    return result;
}

Image pngImage(const std::string& name, const Pixels& pixels, int channels) {
    assert(channels >= 1 && channels <= 4);
    Image image;
    image.name = name;
    image.mime = "image/png";
    image.width = pixels.width;
    image.height = pixels.height;
    image.channels = channels;
    auto bytes = encodeLike(image, pixels);
    image.hash = hashBytes(bytes);
    image.data = std::make_shared<const std::vector<std::byte>>(std::move(bytes));
    return image;
}

int addTexture(Scene& scene, Image image, int sampler) {
    Texture texture;
    texture.name = image.name;
    texture.image = static_cast<int>(scene.images.size());
    texture.sampler = sampler;
    scene.images.push_back(std::move(image));
    scene.textures.push_back(std::move(texture));
    return static_cast<int>(scene.textures.size()) - 1;
}

std::vector<std::byte> encodePng(const std::uint8_t* pixels, int width, int height, int channels) {
    std::vector<std::byte> result;
    stbi_write_png_to_func(append, &result, width, height, channels, pixels, width * channels);
    return result;
}

}  // namespace flentro
