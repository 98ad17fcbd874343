#include "picture/block_codec.h"

#include <astcenc.h>
#include <stb_dxt.h>

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>
#include <memory>

#include "base/index.h"

namespace flentro {
namespace {

const float kEffort = ASTCENC_PRE_FAST;

using Block = std::array<std::uint8_t, 64>;  ///< 4 x 4 pixels of RGBA.

bool isColor(TextureClass use) {
    return use == TextureClass::Color || use == TextureClass::ColorWithAlpha;
}

Block blockAt(const Pixels& pixels, int column, int row) {
    Block block;
    for (int y = 0; y < 4; ++y)
        for (int x = 0; x < 4; ++x) {
            const int fromX = std::min(column + x, pixels.width - 1);
            const int fromY = std::min(row + y, pixels.height - 1);
            std::copy_n(pixels.rgba.begin() + (fromY * pixels.width + fromX) * 4, 4,
                        block.begin() + (y * 4 + x) * 4);
        }
    return block;
}

void encodeBlock(const Block& block, BlockFormat format, std::uint8_t* out) {
    std::array<std::uint8_t, 32> channels{};
    switch (format) {
        case BlockFormat::Bc1:
        case BlockFormat::Bc3:
            return stb_compress_dxt_block(out, block.data(), format == BlockFormat::Bc3 ? 1 : 0,
                                          STB_DXT_HIGHQUAL);
        case BlockFormat::Bc4:
            for (std::size_t i = 0; i < 16; ++i) channels[i] = block[4 * i];
            return stb_compress_bc4_block(out, channels.data());
        default:
            for (std::size_t i = 0; i < 16; ++i) {
                channels[2 * i] = block[4 * i];
                channels[2 * i + 1] = block[4 * i + 1];
            }
            return stb_compress_bc5_block(out, channels.data());
    }
}

/// Eight values between two (D3D11, block compression formats BC4).
std::array<std::uint8_t, 16> decodeChannel(const std::uint8_t* data) {
    std::array<int, 8> palette{data[0], data[1]};
    const bool isLong = palette[0] > palette[1];
    const int steps = isLong ? 7 : 5;
    for (int i = 1; i < steps; ++i)
        elementOf(palette, i + 1) = ((steps - i) * palette[0] + i * palette[1] + steps / 2) / steps;
    if (!isLong) {
        palette[6] = 0;
        palette[7] = 255;
    }
    std::uint64_t bits = 0;
    for (int i = 0; i < 6; ++i) bits |= static_cast<std::uint64_t>(data[2 + i]) << (8 * i);
    std::array<std::uint8_t, 16> values{};
    for (std::size_t i = 0; i < 16; ++i)
        values[i] = static_cast<std::uint8_t>(palette[bits >> (3 * i) & 7U]);
    return values;
}

/// Four colours between two of 5, 6 and 5 bits (BC1).
void decodeColors(const std::uint8_t* data, bool hasFour, Block& block) {
    const auto expand = [](int packed) {
        const int r = packed >> 11 & 31;
        const int g = packed >> 5 & 63;
        const int b = packed & 31;
        return std::array<int, 3>{r << 3 | r >> 2, g << 2 | g >> 4, b << 3 | b >> 2};
    };
    const int first = data[0] | data[1] << 8;
    const int second = data[2] | data[3] << 8;
    std::array<std::array<int, 3>, 4> palette{expand(first), expand(second)};
    for (std::size_t c = 0; c < 3; ++c) {
        const int a = palette[0][c];
        const int b = palette[1][c];
        palette[2][c] = hasFour || first > second ? (2 * a + b) / 3 : (a + b) / 2;
        palette[3][c] = hasFour || first > second ? (a + 2 * b) / 3 : 0;
    }
    for (std::size_t i = 0; i < 16; ++i) {
        const std::size_t index = data[4 + i / 4] >> (2 * (i % 4)) & 3U;
        for (std::size_t c = 0; c < 3; ++c)
            block[4 * i + c] = static_cast<std::uint8_t>(palette[index][c]);
        block[4 * i + 3] = 255;
    }
}

Block decodeBlock(const std::uint8_t* data, BlockFormat format) {
    Block block{};
    if (format == BlockFormat::Bc1) {
        decodeColors(data, false, block);
    } else if (format == BlockFormat::Bc3) {
        decodeColors(data + 8, true, block);
        const auto alpha = decodeChannel(data);
        for (std::size_t i = 0; i < 16; ++i) block[4 * i + 3] = alpha[i];
    } else {
        const auto red = decodeChannel(data);
        const auto green =
            format == BlockFormat::Bc5 ? decodeChannel(data + 8) : std::array<std::uint8_t, 16>{};
        for (std::size_t i = 0; i < 16; ++i) {
            block[4 * i] = red[i];
            block[4 * i + 1] = green[i];
            block[4 * i + 3] = 255;
        }
    }
    return block;
}

/// Blue follows from red and green of a unit vector.
void completeNormals(Pixels& pixels) {
    for (std::size_t i = 0; i < pixels.rgba.size(); i += 4) {
        const double x = pixels.rgba[i] / 127.5 - 1;
        const double y = pixels.rgba[i + 1] / 127.5 - 1;
        const double z = std::sqrt(std::max(0.0, 1 - x * x - y * y));
        pixels.rgba[i + 2] = static_cast<std::uint8_t>(std::lround((z + 1) * 127.5));
    }
}

// --- ASTC ---------------------------------------------------------------------------------

struct FreeContext {
    void operator()(astcenc_context* context) const { astcenc_context_free(context); }
};
using Context = std::unique_ptr<astcenc_context, FreeContext>;

Context contextFor(BlockFormat format, TextureClass use) {
    const BlockFormatInfo& info = infoOf(format);
    astcenc_config config;
    const auto profile = isColor(use) ? ASTCENC_PRF_LDR_SRGB : ASTCENC_PRF_LDR;
    if (astcenc_config_init(profile, static_cast<unsigned>(info.width),
                            static_cast<unsigned>(info.height), 1, kEffort, 0,
                            &config) != ASTCENC_SUCCESS)
        return nullptr;
    astcenc_context* context = nullptr;
    if (astcenc_context_alloc(&config, 1, &context) != ASTCENC_SUCCESS) return nullptr;
    return Context(context);
}

astcenc_image imageOf(std::uint8_t* const* slice, int width, int height) {
    astcenc_image image{};
    image.dim_x = static_cast<unsigned>(width);
    image.dim_y = static_cast<unsigned>(height);
    image.dim_z = 1;
    image.data_type = ASTCENC_TYPE_U8;
    image.data = reinterpret_cast<void**>(const_cast<std::uint8_t**>(slice));
    return image;
}

astcenc_swizzle swizzleFor(TextureClass use) {
    return {ASTCENC_SWZ_R, ASTCENC_SWZ_G, ASTCENC_SWZ_B,
            use == TextureClass::ColorWithAlpha ? ASTCENC_SWZ_A : ASTCENC_SWZ_1};
}

tl::unexpected<Error> refused() {
    return fail(ErrorCode::Unsupported, "the ASTC library refuses the image");
}

Expected<Bytes> encodeAstc(const Pixels& pixels, BlockFormat format, TextureClass use) {
    const Context context = contextFor(format, use);
    if (!context) return refused();
    Bytes blocks(blockBytes(format, pixels.width, pixels.height));
    std::vector<std::uint8_t> copy = pixels.rgba;
    std::uint8_t* slice = copy.data();
    astcenc_image image = imageOf(&slice, pixels.width, pixels.height);
    const astcenc_swizzle swizzle = swizzleFor(use);
    if (astcenc_compress_image(context.get(), &image, &swizzle,
                               reinterpret_cast<std::uint8_t*>(blocks.data()), blocks.size(),
                               0) != ASTCENC_SUCCESS)
        return refused();
    return blocks;
}

Expected<Pixels> decodeAstc(std::span<const std::byte> blocks, int width, int height,
                            BlockFormat format, TextureClass use) {
    const Context context = contextFor(format, use);
    if (!context) return refused();
    Pixels pixels{width, height, {}};
    pixels.rgba.resize(static_cast<std::size_t>(width) * static_cast<std::size_t>(height) * 4);
    std::uint8_t* slice = pixels.rgba.data();
    astcenc_image image = imageOf(&slice, width, height);
    const astcenc_swizzle swizzle = {ASTCENC_SWZ_R, ASTCENC_SWZ_G, ASTCENC_SWZ_B, ASTCENC_SWZ_A};
    if (astcenc_decompress_image(context.get(),
                                 reinterpret_cast<const std::uint8_t*>(blocks.data()),
                                 blocks.size(), &image, &swizzle, 0) != ASTCENC_SUCCESS)
        return refused();
    return pixels;
}

}  // namespace

Expected<Bytes> encodeBlocks(const Pixels& pixels, BlockFormat format, TextureClass use) {
    if (infoOf(format).isAstc()) return encodeAstc(pixels, format, use);
    Bytes blocks(blockBytes(format, pixels.width, pixels.height));
    auto* out = reinterpret_cast<std::uint8_t*>(blocks.data());
    for (int row = 0; row < pixels.height; row += 4)
        for (int column = 0; column < pixels.width; column += 4, out += infoOf(format).bytes)
            encodeBlock(blockAt(pixels, column, row), format, out);
    return blocks;
}

Expected<Pixels> decodeBlocks(std::span<const std::byte> blocks, int width, int height,
                              BlockFormat format, TextureClass use) {
    assert(blocks.size() == blockBytes(format, width, height));
    if (infoOf(format).isAstc()) return decodeAstc(blocks, width, height, format, use);
    Pixels pixels{width, height, {}};
    pixels.rgba.resize(static_cast<std::size_t>(width) * static_cast<std::size_t>(height) * 4);
    const auto* in = reinterpret_cast<const std::uint8_t*>(blocks.data());
    for (int row = 0; row < height; row += 4)
        for (int column = 0; column < width; column += 4, in += infoOf(format).bytes) {
            const Block block = decodeBlock(in, format);
            for (int y = 0; y < std::min(4, height - row); ++y)
                std::copy_n(block.begin() + y * 16, std::min(4, width - column) * 4,
                            pixels.rgba.begin() + ((row + y) * width + column) * 4);
        }
    if (use == TextureClass::Normal) completeNormals(pixels);
    return pixels;
}

StorageLoss lossOf(const Pixels& before, const Pixels& after, TextureClass use) {
    assert(before.rgba.size() == after.rgba.size() && !before.rgba.empty());
    const std::size_t channels = use == TextureClass::Mask             ? 1
                                 : use == TextureClass::ColorWithAlpha ? 4
                                                                       : 3;
    double squares = 0;
    double angles = 0;
    for (std::size_t i = 0; i < before.rgba.size(); i += 4) {
        Vec3d a;
        Vec3d b;
        for (std::size_t c = 0; c < channels; ++c) {
            const double by = before.rgba[i + c] - after.rgba[i + c];
            squares += by * by;
        }
        for (int c = 0; c < 3; ++c) {
            a[c] = before.rgba[i + static_cast<std::size_t>(c)] / 127.5 - 1;
            b[c] = after.rgba[i + static_cast<std::size_t>(c)] / 127.5 - 1;
        }
        angles += std::atan2(a.cross(b).norm(), a.dot(b));
    }
    const auto pixels = static_cast<double>(before.count());
    StorageLoss loss;
    const double mean = squares / (pixels * static_cast<double>(channels));
    loss.decibels =
        mean > 0 ? 10 * std::log10(255 * 255 / mean) : std::numeric_limits<double>::infinity();
    if (use == TextureClass::Normal) loss.degrees = toDegrees(angles / pixels);
    return loss;
}

}  // namespace flentro
