// KTX 2.0 files: one image with its mip maps, in blocks as a graphics processor reads them.

#pragma once

#include "io/file.h"

namespace flentro {

/// How the texels of a block of pixels are stored.
enum class BlockFormat { Bc1, Bc3, Bc4, Bc5, Astc4x4, Astc5x5, Astc6x6, Astc8x8 };
inline constexpr std::size_t kBlockFormatCount = 8;

struct BlockFormatInfo {
    const char* key;  ///< "bc1", "astc-6x6", as in target files.
    int width;        ///< Pixels of a block.
    int height;
    std::size_t bytes;       ///< Of a block.
    std::uint32_t vkLinear;  ///< VkFormat of numbers ...
    std::uint32_t vkSrgb;    ///< ... and of colours; 0: it has none.
    std::uint8_t model;      ///< Colour model of the Khronos data format specification.
    [[nodiscard]] bool isAstc() const { return width > 4 || vkLinear == 157; }
    [[nodiscard]] double bytesPerTexel() const {
        return static_cast<double>(bytes) / (width * height);
    }
};
[[nodiscard]] const BlockFormatInfo& infoOf(BlockFormat format);

/// Blocks of one mip level, row after row.
struct BlockLevel {
    int width = 0;  ///< Pixels.
    int height = 0;
    Bytes blocks;
};

/// Bytes of a level of this size.
[[nodiscard]] std::size_t blockBytes(BlockFormat format, int width, int height);

/// A KTX 2.0 file (Khronos, revision 2.0.3) of these levels, the largest first, each compressed by
/// Zstandard. `isColor`: texels hold sRGB. Needs levels that halve down to any size.
[[nodiscard]] Bytes writeKtx2(BlockFormat format, bool isColor,
                              const std::vector<BlockLevel>& levels);

struct Ktx2 {
    BlockFormat format = BlockFormat::Bc1;
    bool isColor = false;
    std::vector<BlockLevel> levels;  ///< The largest first.
};
/// Reads what writeKtx2() writes. Errors: InvalidInput, Unsupported for other formats and schemes.
[[nodiscard]] Expected<Ktx2> readKtx2(std::span<const std::byte> data);

}  // namespace flentro
