#include "geometry/morton.h"

#include <algorithm>

namespace flentro {
namespace {

/// Of ten bits: each followed by two zeros.
std::uint32_t spread(std::uint32_t bits) {
    bits = (bits | bits << 16U) & 0x030000FFU;
    bits = (bits | bits << 8U) & 0x0300F00FU;
    bits = (bits | bits << 4U) & 0x030C30C3U;
    return (bits | bits << 2U) & 0x09249249U;
}

/// Bits an axis: as many cells as points, of which a surface fills a few.
unsigned bitsFor(std::size_t points) {
    unsigned bits = 1;
    while ((std::size_t{1} << 3U * (bits + 1)) <= points) ++bits;
    return std::min(bits, 10U);
}

/// [N] The code of each point's cell in a grid over all.
std::vector<std::uint32_t> codesOf(std::span<const Vec3f> points, unsigned bits) {
    Eigen::AlignedBox3f box;
    for (const Vec3f& point : points) box.extend(point);
    const auto most = static_cast<float>((1U << bits) - 1);
    const float size = box.isEmpty() ? 0 : box.sizes().maxCoeff();
    const float scale = size > 0 ? (most + 1) / size : 0;
    const auto cell = [&](float offset) {
        const float at = offset * scale;
        return at > 0 ? static_cast<std::uint32_t>(std::min(at, most)) : 0U;
    };
    std::vector<std::uint32_t> codes;
    codes.reserve(points.size());
    for (const Vec3f& point : points) {
        const Vec3f offset = point - box.min();
        codes.push_back(mortonCode(cell(offset.x()), cell(offset.y()), cell(offset.z())));
    }
    return codes;
}

}  // namespace

std::uint32_t mortonCode(std::uint32_t x, std::uint32_t y, std::uint32_t z) {
    return spread(x) | spread(y) << 1U | spread(z) << 2U;
}

std::vector<std::uint32_t> ranksAlongCurve(std::span<const Vec3f> points) {
    const unsigned bits = bitsFor(points.size());
    std::vector<std::uint32_t> codes = codesOf(points, bits);
    std::vector<std::uint32_t> next((std::size_t{1} << 3U * bits) + 1, 0);
    for (const std::uint32_t code : codes) ++next[code + 1];
    for (std::size_t code = 1; code < next.size(); ++code) next[code] += next[code - 1];
    for (std::uint32_t& code : codes) code = next[code]++;
    return codes;
}

}  // namespace flentro
