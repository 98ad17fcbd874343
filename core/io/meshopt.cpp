#include "io/meshopt.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <cstring>

namespace flentro {
namespace {

constexpr std::uint8_t kAttributeHeader = 0xA0;
constexpr std::uint8_t kTriangleHeader = 0xE1;
constexpr std::uint8_t kIndexHeader = 0xD1;

auto cutOff() {
    return fail(ErrorCode::InvalidInput, "compressed data is cut off");
}

auto leftOver() {
    return fail(ErrorCode::InvalidInput, "compressed data has bytes that belong to nothing");
}

/// Bytes one after the other; beyond the end it gives zeros and remembers.
class ByteSource {
public:
    explicit ByteSource(std::span<const std::byte> data) : data_(data) {}
    std::uint8_t next() {
        if (at_ < data_.size()) return std::to_integer<std::uint8_t>(data_[at_++]);
        failed_ = true;
        return 0;
    }
    /// LEB128, at most five bytes.
    std::uint32_t nextNumber() {
        std::uint32_t value = 0;
        for (unsigned shift = 0; shift < 35; shift += 7) {
            const std::uint8_t byte = next();
            value |= static_cast<std::uint32_t>(byte & 0x7F) << shift;
            if (byte < 0x80) break;
        }
        return value;
    }
    [[nodiscard]] bool failed() const { return failed_; }
    [[nodiscard]] bool isAtEnd() const { return at_ == data_.size(); }

private:
    std::span<const std::byte> data_;
    std::size_t at_ = 0;
    bool failed_ = false;
};

std::uint8_t unfold(std::uint8_t v) {
    return static_cast<std::uint8_t>((v & 1) != 0 ? ~(v >> 1) : v >> 1);
}
std::uint32_t unfold(std::uint32_t v) {
    return (v & 1) != 0 ? ~(v >> 1) : v >> 1;
}

// ------------------------------------------------------------------ attributes (A.1)

constexpr std::size_t kGroup = 16;  ///< Elements whose deltas are stored with the same width.

using Group = std::array<std::uint8_t, kGroup>;

/// Deltas of `bits` bits each, the first in the highest bits; all ones stands for a byte that
/// follows behind the group.
Group readPacked(ByteSource& source, int bits) {
    Group deltas{};
    const auto escape = static_cast<std::uint8_t>((1 << bits) - 1);
    const std::size_t perByte = 8 / static_cast<std::size_t>(bits);
    for (std::size_t i = 0; i < kGroup; i += perByte) {
        const std::uint8_t byte = source.next();
        for (std::size_t k = 0; k < perByte; ++k)
            deltas[i + k] =
                byte >> (8 - bits - static_cast<int>(k) * bits) & static_cast<int>(escape);
    }
    for (std::uint8_t& delta : deltas)
        if (delta == escape) delta = source.next();
    return deltas;
}

Group readGroup(ByteSource& source, int width) {
    Group deltas{};
    if (width == 1 || width == 2) return readPacked(source, 2 * width);
    if (width == 3)
        for (std::uint8_t& delta : deltas) delta = source.next();
    return deltas;
}

/// One byte of each of the block's elements, as differences from the element before.
void readByteOfBlock(ByteSource& source, std::size_t elements, std::size_t stride,
                     std::uint8_t& last, std::byte* to) {
    const std::size_t groups = (elements + kGroup - 1) / kGroup;
    std::array<std::uint8_t, 4> widths{};  // A block has at most 256 elements: 16 groups.
    for (std::size_t i = 0; i < (groups + 3) / 4; ++i) widths[i] = source.next();
    for (std::size_t g = 0; g < groups; ++g) {
        const Group deltas = readGroup(source, widths[g / 4] >> (g % 4 * 2) & 3);
        for (std::size_t i = 0; i < kGroup && g * kGroup + i < elements; ++i) {
            last = static_cast<std::uint8_t>(last + unfold(deltas[i]));
            to[(g * kGroup + i) * stride] = std::byte{last};
        }
    }
}

Expected<Bytes> decodeAttributes(std::span<const std::byte> data, const MeshoptView& view) {
    const std::size_t stride = view.stride;
    if (stride == 0 || stride % 4 != 0 || stride > 256)
        return fail(ErrorCode::InvalidInput, "has a stride that its compression does not allow");
    const std::size_t tail = std::max<std::size_t>(32, stride);
    if (data.size() < 1 + tail) return cutOff();
    std::array<std::uint8_t, 256> last{};
    std::memcpy(last.data(), data.data() + data.size() - stride, stride);
    ByteSource source(data.subspan(1, data.size() - 1 - tail));
    Bytes result(view.count * stride);
    const std::size_t block = std::min<std::size_t>(8192 / stride & ~std::size_t{15}, 256);
    for (std::size_t first = 0; first < view.count && !source.failed(); first += block)
        for (std::size_t k = 0; k < stride; ++k)
            readByteOfBlock(source, std::min(block, view.count - first), stride, last[k],
                            result.data() + first * stride + k);
    if (source.failed()) return cutOff();
    if (!source.isAtEnd()) return leftOver();
    return result;
}

// ------------------------------------------------------------------ indices (A.2, A.3)

/// The last sixteen of something; `ago` 1 is the last one.
template <typename T>
class Recent {
public:
    void push(const T& value) { values_[at_++ % 16] = value; }
    [[nodiscard]] const T& ago(std::size_t ago) const { return values_[(at_ + 16 - ago) % 16]; }

private:
    std::array<T, 16> values_{};
    std::size_t at_ = 0;
};

class TriangleDecoder {
public:
    TriangleDecoder(ByteSource source, std::span<const std::byte> shorthand)
        : source_(source), shorthand_(shorthand) {}

    std::array<std::uint32_t, 3> next(std::uint8_t code) {
        if (code < 0xF0) return onEdge(code);
        if (code < 0xFE)
            return alone(0, std::to_integer<std::uint8_t>(shorthand_[code & 15U]), false);
        const std::uint8_t corners = source_.next();
        if (corners == 0) next_ = 0;
        return alone(code == 0xFE ? 0 : 15, corners, true);
    }
    [[nodiscard]] const ByteSource& source() const { return source_; }

private:
    using Edge = std::array<std::uint32_t, 2>;

    std::uint32_t fromLast() { return last_ += unfold(source_.nextNumber()); }

    /// A triangle on the edge of one before it; the low four bits tell the third corner.
    std::array<std::uint32_t, 3> onEdge(std::uint8_t code) {
        const auto [a, b] = edges_.ago(1U + (code >> 4U));
        const std::size_t corner = code & 15U;
        std::uint32_t c = 0;
        if (corner == 0)
            c = next_++;
        else if (corner < 13)
            c = vertices_.ago(1 + corner);
        else if (corner == 15)
            c = fromLast();
        else
            c = last_ += corner == 13 ? ~std::uint32_t{0} : 1U;
        if (corner == 0 || corner >= 13) vertices_.push(c);
        edges_.push({c, b});
        edges_.push({a, c});
        return {a, b, c};
    }

    /// A triangle that shares no recent edge. Corners: 0 a new vertex, 15 (where `free`) one
    /// told by its difference from the last such, else a recent one.
    std::array<std::uint32_t, 3> alone(std::size_t first, std::uint8_t others, bool free) {
        const std::array<std::size_t, 3> kinds = {first, std::size_t{others} >> 4U,
                                                  others & std::size_t{15}};
        std::array<std::uint32_t, 3> corners{};
        for (std::size_t i = 0; i < 3; ++i)
            corners[i] = kinds[i] == 0 ? next_++ : vertices_.ago(kinds[i]);
        for (std::size_t i = 0; free && i < 3; ++i)
            if (kinds[i] == 15) corners[i] = fromLast();
        for (std::size_t i = 0; i < 3; ++i)
            if (i == 0 || kinds[i] == 0 || (free && kinds[i] == 15)) vertices_.push(corners[i]);
        const auto [a, b, c] = corners;
        edges_.push({b, a});
        edges_.push({c, b});
        edges_.push({a, c});
        return corners;
    }

    ByteSource source_;
    std::span<const std::byte> shorthand_;
    Recent<Edge> edges_;
    Recent<std::uint32_t> vertices_;
    std::uint32_t next_ = 0;
    std::uint32_t last_ = 0;
};

void put(Bytes& to, std::size_t index, std::uint32_t value, std::size_t stride) {
    std::memcpy(to.data() + index * stride, &value, stride);  // Little-endian, as glTF is.
}

Expected<Bytes> decodeTriangles(std::span<const std::byte> data, const MeshoptView& view) {
    constexpr std::size_t kShorthand = 16;
    const std::size_t triangles = view.count / 3;
    if (view.count % 3 != 0 || (view.stride != 2 && view.stride != 4))
        return fail(ErrorCode::InvalidInput, "has a count or stride that is no triangles'");
    if (data.size() < kShorthand + 1 || data.size() - kShorthand - 1 < triangles) return cutOff();
    const auto codes = data.subspan(1, triangles);
    const auto more = data.subspan(1 + triangles, data.size() - 1 - triangles - kShorthand);
    TriangleDecoder decoder(ByteSource(more), data.last(kShorthand));
    Bytes result(view.count * view.stride);
    for (std::size_t t = 0; t < triangles; ++t) {
        const auto corners = decoder.next(std::to_integer<std::uint8_t>(codes[t]));
        for (std::size_t c = 0; c < 3; ++c) put(result, t * 3 + c, corners[c], view.stride);
    }
    if (decoder.source().failed()) return cutOff();
    if (!decoder.source().isAtEnd()) return leftOver();
    return result;
}

Expected<Bytes> decodeIndices(std::span<const std::byte> data, const MeshoptView& view) {
    constexpr std::size_t kTail = 4;
    if (view.stride != 2 && view.stride != 4)
        return fail(ErrorCode::InvalidInput, "has a stride that is no indices'");
    if (data.size() < 1 + kTail) return cutOff();
    ByteSource source(data.subspan(1, data.size() - 1 - kTail));
    if (data.size() - 1 - kTail < view.count) return cutOff();
    std::array<std::uint32_t, 2> last{};
    Bytes result(view.count * view.stride);
    for (std::size_t i = 0; i < view.count; ++i) {
        const std::uint32_t code = source.nextNumber();
        std::uint32_t& base = last[code & 1U];
        base += unfold(code >> 1U);
        put(result, i, base, view.stride);
    }
    if (source.failed()) return cutOff();
    if (!source.isAtEnd()) return leftOver();
    return result;
}

// ------------------------------------------------------------------ filters (B)

template <typename T>
T rounded(float value) {
    return static_cast<T>(std::lround(value));
}

/// B.1: x and y of the octahedron, and in the third place what stands for one.
template <typename T>
void decodeOctahedral(Bytes& data) {
    constexpr auto kLargest = static_cast<float>(std::numeric_limits<T>::max());
    std::array<T, 4> v{};
    for (std::size_t at = 0; at + sizeof v <= data.size(); at += sizeof v) {
        std::memcpy(v.data(), data.data() + at, sizeof v);
        auto x = static_cast<float>(v[0]);
        auto y = static_cast<float>(v[1]);
        const float z = static_cast<float>(v[2]) - std::fabs(x) - std::fabs(y);
        const float fold = std::min(z, 0.0F);
        x += x >= 0 ? fold : -fold;
        y += y >= 0 ? fold : -fold;
        const float length = std::sqrt(x * x + y * y + z * z);
        const float scale = length > 0 ? kLargest / length : 0;
        v[0] = rounded<T>(x * scale);
        v[1] = rounded<T>(y * scale);
        v[2] = rounded<T>(z * scale);
        std::memcpy(data.data() + at, v.data(), sizeof v);
    }
}

/// B.2: three components, and in the fourth what stands for the root of a half, whose lowest
/// two bits tell which component was left out as the largest.
void decodeQuaternions(Bytes& data) {
    constexpr float kLargest = 32767;
    std::array<std::int16_t, 4> v{};
    for (std::size_t at = 0; at + sizeof v <= data.size(); at += sizeof v) {
        std::memcpy(v.data(), data.data() + at, sizeof v);
        const float scale = std::sqrt(0.5F) / static_cast<float>(v[3] | 3);
        const auto largest = static_cast<std::size_t>(v[3] & 3);
        std::array<float, 3> part{};
        float squared = 0;
        for (std::size_t i = 0; i < 3; ++i) {
            part[i] = std::clamp(static_cast<float>(v[i]) * scale, -1.0F, 1.0F);
            squared += part[i] * part[i];
        }
        for (std::size_t i = 0; i < 3; ++i)
            v[(largest + 1 + i) % 4] = rounded<std::int16_t>(part[i] * kLargest);
        v[largest] = rounded<std::int16_t>(std::sqrt(std::max(0.0F, 1 - squared)) * kLargest);
        std::memcpy(data.data() + at, v.data(), sizeof v);
    }
}

/// B.3: a signed exponent of eight bits over a signed mantissa of 24.
void decodeExponential(Bytes& data) {
    for (std::size_t at = 0; at + 4 <= data.size(); at += 4) {
        std::uint32_t bits = 0;
        std::memcpy(&bits, data.data() + at, sizeof bits);
        const int exponent = static_cast<std::int32_t>(bits) >> 24;
        const int mantissa = static_cast<std::int32_t>(bits << 8U) >> 8;
        const float value = std::ldexp(static_cast<float>(mantissa), exponent);
        std::memcpy(data.data() + at, &value, sizeof value);
    }
}

Expected<void> applyFilter(Bytes& data, const MeshoptView& view) {
    const std::size_t stride = view.stride;
    const bool fits = view.filter == MeshoptFilter::None ||
                      (view.mode == MeshoptMode::Attributes &&
                       (view.filter == MeshoptFilter::Exponential || stride == 8 ||
                        (stride == 4 && view.filter == MeshoptFilter::Octahedral)));
    if (!fits) return fail(ErrorCode::InvalidInput, "has a filter that its stride does not allow");
    if (view.filter == MeshoptFilter::Octahedral && stride == 4)
        decodeOctahedral<std::int8_t>(data);
    else if (view.filter == MeshoptFilter::Octahedral)
        decodeOctahedral<std::int16_t>(data);
    else if (view.filter == MeshoptFilter::Quaternion)
        decodeQuaternions(data);
    else if (view.filter == MeshoptFilter::Exponential)
        decodeExponential(data);
    return {};
}

}  // namespace

Expected<Bytes> decodeMeshopt(std::span<const std::byte> data, const MeshoptView& view) {
    if (data.empty()) return cutOff();
    const std::uint8_t header = view.mode == MeshoptMode::Attributes  ? kAttributeHeader
                                : view.mode == MeshoptMode::Triangles ? kTriangleHeader
                                                                      : kIndexHeader;
    if (std::to_integer<std::uint8_t>(data[0]) != header)
        return fail(ErrorCode::Unsupported,
                    "is compressed in a way that is not read (another version, or damaged)");
    auto decoded = view.mode == MeshoptMode::Attributes  ? decodeAttributes(data, view)
                   : view.mode == MeshoptMode::Triangles ? decodeTriangles(data, view)
                                                         : decodeIndices(data, view);
    if (!decoded) return decoded;
    if (auto done = applyFilter(*decoded, view); !done) return tl::unexpected(done.error());
    return decoded;
}

}  // namespace flentro
