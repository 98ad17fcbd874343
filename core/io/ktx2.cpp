#include "io/ktx2.h"

#include <zstd.h>

#include <algorithm>
#include <array>
#include <cassert>
#include <cstring>

#include "base/index.h"

namespace flentro {
namespace {

constexpr std::array<std::uint8_t, 12> kIdentifier = {0xAB, 'K',  'T',  'X',  ' ',  '2',
                                                      '0',  0xBB, '\r', '\n', 0x1A, '\n'};
constexpr std::size_t kHeader = 80;  ///< Bytes before the level index.
constexpr std::size_t kIndexRow = 24;
constexpr std::uint32_t kZstandard = 2;
constexpr int kLevelOfCompression = 9;
constexpr std::size_t kMaxLevels = 16;

constexpr std::array<BlockFormatInfo, kBlockFormatCount> kFormats = {{
    {"bc1", 4, 4, 8, 131, 132, 128},
    {"bc3", 4, 4, 16, 137, 138, 130},
    {"bc4", 4, 4, 8, 139, 0, 131},
    {"bc5", 4, 4, 16, 141, 0, 132},
    {"astc-4x4", 4, 4, 16, 157, 158, 162},
    {"astc-5x5", 5, 5, 16, 161, 162, 162},
    {"astc-6x6", 6, 6, 16, 165, 166, 162},
    {"astc-8x8", 8, 8, 16, 171, 172, 162},
}};

class ByteWriter {
public:
    template <typename T>
    void add(T value) {
        for (std::size_t i = 0; i < sizeof(T); ++i)
            bytes.push_back(static_cast<std::byte>(static_cast<std::uint64_t>(value) >> (8 * i)));
    }
    Bytes bytes;
};

/// A channel of a block (Khronos Data Format 1.3, basic descriptor block).
struct Sample {
    std::uint16_t bitOffset;
    std::uint8_t bitLength;  ///< Less one.
    std::uint8_t channel;
};

std::vector<Sample> samplesOf(BlockFormat format, bool isColor) {
    constexpr std::uint8_t kAlpha = 15;
    constexpr std::uint8_t kLinear = 0x10;  // alpha is never sRGB
    switch (format) {
        case BlockFormat::Bc1:
        case BlockFormat::Bc4:
            return {{0, 63, 0}};
        case BlockFormat::Bc3:
            return {{0, 63, static_cast<std::uint8_t>(kAlpha | (isColor ? kLinear : 0))},
                    {64, 63, 0}};
        case BlockFormat::Bc5:
            return {{0, 63, 0}, {64, 63, 1}};
        default:
            return {{0, 127, 0}};
    }
}

Bytes dataFormatDescriptor(BlockFormat format, bool isColor) {
    constexpr std::uint8_t kBt709 = 1;
    constexpr std::uint8_t kLinear = 1;
    constexpr std::uint8_t kSrgb = 2;
    const BlockFormatInfo& info = infoOf(format);
    const std::vector<Sample> samples = samplesOf(format, isColor);
    const std::size_t block = 24 + 16 * samples.size();
    ByteWriter out;
    out.add(static_cast<std::uint32_t>(4 + block));
    out.add(std::uint32_t{0});  // vendor and kind: Khronos, basic
    out.add(std::uint16_t{2});
    out.add(static_cast<std::uint16_t>(block));
    out.add(info.model);
    out.add(kBt709);
    out.add(isColor ? kSrgb : kLinear);
    out.add(std::uint8_t{0});
    for (const int edge : {info.width, info.height, 1, 1})
        out.add(static_cast<std::uint8_t>(edge - 1));
    out.add(static_cast<std::uint8_t>(info.bytes));
    for (int i = 0; i < 7; ++i) out.add(std::uint8_t{0});
    for (const Sample& sample : samples) {
        out.add(sample.bitOffset);
        out.add(sample.bitLength);
        out.add(sample.channel);
        out.add(std::uint32_t{0});  // position
        out.add(std::uint32_t{0});
        out.add(std::uint32_t{0xFFFFFFFF});
    }
    return out.bytes;
}

Bytes compressed(const Bytes& data) {
    Bytes result(ZSTD_compressBound(data.size()));
    const std::size_t size =
        ZSTD_compress(result.data(), result.size(), data.data(), data.size(), kLevelOfCompression);
    assert(!ZSTD_isError(size));
    result.resize(size);
    return result;
}

template <typename T>
T valueAt(std::span<const std::byte> data, std::size_t at) {
    T value{};
    std::memcpy(&value, data.data() + at, sizeof value);  // little-endian machines only
    return value;
}

tl::unexpected<Error> bad(const char* what) {
    return fail(ErrorCode::InvalidInput, what);
}

}  // namespace

const BlockFormatInfo& infoOf(BlockFormat format) {
    return elementOf(kFormats, format);
}

std::size_t blockBytes(BlockFormat format, int width, int height) {
    const BlockFormatInfo& info = infoOf(format);
    return static_cast<std::size_t>((width + info.width - 1) / info.width) *
           static_cast<std::size_t>((height + info.height - 1) / info.height) * info.bytes;
}

Bytes writeKtx2(BlockFormat format, bool isColor, const std::vector<BlockLevel>& levels) {
    assert(!levels.empty() && levels.size() <= kMaxLevels);
    const BlockFormatInfo& info = infoOf(format);
    const Bytes descriptor = dataFormatDescriptor(format, isColor && info.vkSrgb != 0);
    std::vector<Bytes> packed;
    for (const BlockLevel& level : levels) {
        assert(level.blocks.size() == blockBytes(format, level.width, level.height));
        packed.push_back(compressed(level.blocks));
    }
    const std::size_t index = kHeader;
    const std::size_t descriptorAt = index + kIndexRow * levels.size();
    std::size_t end = descriptorAt + descriptor.size();
    std::vector<std::size_t> offsets(levels.size());
    for (std::size_t l = levels.size(); l-- > 0;) {  // the smallest comes first in the file
        offsets[l] = end;
        end += packed[l].size();
    }
    ByteWriter out;
    for (const std::uint8_t byte : kIdentifier) out.add(byte);
    out.add(isColor && info.vkSrgb != 0 ? info.vkSrgb : info.vkLinear);
    out.add(std::uint32_t{1});  // size of the type
    out.add(static_cast<std::uint32_t>(levels.front().width));
    out.add(static_cast<std::uint32_t>(levels.front().height));
    out.add(std::uint32_t{0});  // depth
    out.add(std::uint32_t{0});  // layers
    out.add(std::uint32_t{1});  // faces
    out.add(static_cast<std::uint32_t>(levels.size()));
    out.add(kZstandard);
    out.add(static_cast<std::uint32_t>(descriptorAt));
    out.add(static_cast<std::uint32_t>(descriptor.size()));
    out.add(std::uint32_t{0});  // key and value data
    out.add(std::uint32_t{0});
    out.add(std::uint64_t{0});  // global data of the compression
    out.add(std::uint64_t{0});
    for (std::size_t l = 0; l < levels.size(); ++l) {
        out.add(static_cast<std::uint64_t>(offsets[l]));
        out.add(static_cast<std::uint64_t>(packed[l].size()));
        out.add(static_cast<std::uint64_t>(levels[l].blocks.size()));
    }
    out.bytes.insert(out.bytes.end(), descriptor.begin(), descriptor.end());
    for (std::size_t l = levels.size(); l-- > 0;)
        out.bytes.insert(out.bytes.end(), packed[l].begin(), packed[l].end());
    return out.bytes;
}

Expected<Ktx2> readKtx2(std::span<const std::byte> data) {
    if (data.size() < kHeader || std::memcmp(data.data(), kIdentifier.data(), 12) != 0)
        return bad("is not a KTX 2.0 file");
    const auto word = [&](std::size_t at) { return valueAt<std::uint32_t>(data, at); };
    const std::uint32_t vk = word(12);
    const auto* found = std::find_if(kFormats.begin(), kFormats.end(), [&](const auto& info) {
        return vk == info.vkLinear || (vk == info.vkSrgb && vk != 0);
    });
    if (found == kFormats.end() || word(44) != kZstandard || word(28) != 0 || word(36) != 1)
        return fail(ErrorCode::Unsupported, "is a KTX 2.0 file of a kind that is not read");
    Ktx2 file;
    file.format = static_cast<BlockFormat>(found - kFormats.begin());
    file.isColor = vk == found->vkSrgb;
    const auto width = word(20);
    const auto height = word(24);
    const std::size_t count = word(40);
    if (width == 0 || height == 0 || width > 16384 || height > 16384 || count == 0 ||
        count > kMaxLevels || data.size() < kHeader + kIndexRow * count)
        return bad("has sizes that cannot be");
    for (std::size_t l = 0; l < count; ++l) {
        const std::size_t row = kHeader + kIndexRow * l;
        const auto offset = valueAt<std::uint64_t>(data, row);
        const auto length = valueAt<std::uint64_t>(data, row + 8);
        const auto whole = valueAt<std::uint64_t>(data, row + 16);
        BlockLevel level;
        level.width = std::max(1, static_cast<int>(width >> l));
        level.height = std::max(1, static_cast<int>(height >> l));
        const std::size_t expected = blockBytes(file.format, level.width, level.height);
        if (offset > data.size() || length > data.size() - offset || whole != expected)
            return bad("has a level outside the file, or of another size than it says");
        level.blocks.resize(expected);
        const std::size_t size =
            ZSTD_decompress(level.blocks.data(), level.blocks.size(), data.data() + offset, length);
        if (ZSTD_isError(size) || size != expected) return bad("has a level that is damaged");
        file.levels.push_back(std::move(level));
    }
    return file;
}

}  // namespace flentro
