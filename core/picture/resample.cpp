#include "picture/resample.h"

#include <stb_image_resize.h>

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>

#include "picture/texels.h"

namespace flentro {
namespace {

using Floats = std::vector<float>;

constexpr float kOneByte = 1.0F / 255;

bool isColor(TextureClass use) {
    return use == TextureClass::Color || use == TextureClass::ColorWithAlpha;
}

std::uint8_t toByte(float value) {
    return static_cast<std::uint8_t>(std::lround(std::clamp(value, 0.0F, 1.0F) * 255));
}

/// sRGB bytes to linear light.
const std::array<float, 256>& linearTable() {
    static const std::array<float, 256> table = [] {
        std::array<float, 256> t{};
        for (std::size_t i = 0; i < t.size(); ++i)
            t[i] = toLinear(static_cast<float>(i) * kOneByte);
        return t;
    }();
    return table;
}

Floats filtered(const Floats& from, int width, int height, int channels, int toWidth, int toHeight,
                stbir_filter filter) {
    Floats to(static_cast<std::size_t>(toWidth) * static_cast<std::size_t>(toHeight) *
              static_cast<std::size_t>(channels));
    stbir_resize_float_generic(from.data(), width, height, 0, to.data(), toWidth, toHeight, 0,
                               channels, STBIR_ALPHA_CHANNEL_NONE, 0, STBIR_EDGE_WRAP, filter,
                               STBIR_COLORSPACE_LINEAR, nullptr);
    return to;
}

/// Between the two filters.
Floats resized(const Floats& from, const Pixels& size, int channels, int width, int height,
               double sharpness) {
    Floats smooth =
        filtered(from, size.width, size.height, channels, width, height, STBIR_FILTER_MITCHELL);
    if (sharpness <= 0) return smooth;
    const Floats sharp =
        filtered(from, size.width, size.height, channels, width, height, STBIR_FILTER_CATMULLROM);
    const auto share = static_cast<float>(std::min(sharpness, 1.0));
    for (std::size_t i = 0; i < smooth.size(); ++i) smooth[i] += share * (sharp[i] - smooth[i]);
    return smooth;
}

/// Colour weighed by alpha, alpha, and plain colour for where nothing covers.
Floats weighed(const Pixels& pixels) {
    const std::array<float, 256>& linear = linearTable();
    Floats values;
    values.reserve(pixels.count() * 7);
    for (std::size_t i = 0; i < pixels.rgba.size(); i += 4) {
        const float alpha = static_cast<float>(pixels.rgba[i + 3]) * kOneByte;
        for (std::size_t c = 0; c < 3; ++c) values.push_back(linear[pixels.rgba[i + c]] * alpha);
        values.push_back(alpha);
        for (std::size_t c = 0; c < 3; ++c) values.push_back(linear[pixels.rgba[i + c]]);
    }
    return values;
}

double coverage(const Pixels& pixels, double cutoff, double scale) {
    std::size_t above = 0;
    for (std::size_t i = 3; i < pixels.rgba.size(); i += 4)
        above += pixels.rgba[i] * static_cast<double>(kOneByte) * scale >= cutoff;
    return static_cast<double>(above) / static_cast<double>(pixels.count());
}

/// Scales alpha until as much shows as `wanted`.
void keepCoverage(Pixels& pixels, double cutoff, double wanted) {
    double low = 0;
    double high = 8;
    for (int i = 0; i < 24; ++i) {
        const double middle = (low + high) / 2;
        (coverage(pixels, cutoff, middle) < wanted ? low : high) = middle;
    }
    // Of two scales that miss it the nearer one.
    const double below = wanted - coverage(pixels, cutoff, low);
    const double above = coverage(pixels, cutoff, high) - wanted;
    const double scale = below < above ? low : high;
    for (std::size_t i = 3; i < pixels.rgba.size(); i += 4)
        pixels.rgba[i] = toByte(static_cast<float>(pixels.rgba[i] * scale) * kOneByte);
}

Pixels resampleColor(const Pixels& pixels, int width, int height, const ResampleOptions& options) {
    const Floats values = resized(weighed(pixels), pixels, 7, width, height, options.sharpness);
    Pixels result{width, height, {}};
    result.rgba.reserve(values.size() / 7 * 4);
    for (std::size_t i = 0; i < values.size(); i += 7) {
        const float alpha = std::clamp(values[i + 3], 0.0F, 1.0F);
        for (std::size_t c = 0; c < 3; ++c) {
            const bool covers = alpha > kOneByte;
            const float linear = covers ? values[i + c] / alpha : values[i + 4 + c];
            result.rgba.push_back(toByte(toDisplay(linear)));
        }
        result.rgba.push_back(toByte(alpha));
    }
    if (options.alphaCutoff > 0)
        keepCoverage(result, options.alphaCutoff, coverage(pixels, options.alphaCutoff, 1));
    return result;
}

/// [pixels * 3] Unit vectors.
Floats unitNormals(const Pixels& pixels) {
    Floats values;
    values.reserve(pixels.count() * 3);
    for (std::size_t i = 0; i < pixels.rgba.size(); i += 4) {
        Vec3f n;
        for (int c = 0; c < 3; ++c)
            n[c] =
                static_cast<float>(pixels.rgba[i + static_cast<std::size_t>(c)]) * 2 * kOneByte - 1;
        const float length = n.norm();
        n = length > 1e-3F ? Vec3f(n / length) : Vec3f(0, 0, 1);
        values.insert(values.end(), n.data(), n.data() + 3);
    }
    return values;
}

Pixels resampleNormals(const Pixels& pixels, int width, int height,
                       const ResampleOptions& options) {
    const Floats values = resized(unitNormals(pixels), pixels, 3, width, height, options.sharpness);
    Pixels result{width, height, {}};
    result.rgba.reserve(values.size() / 3 * 4);
    for (std::size_t i = 0; i < values.size(); i += 3) {
        Vec3f n(values[i], values[i + 1], values[i + 2]);
        const float length = n.norm();
        n = length > 1e-3F ? Vec3f(n / length) : Vec3f(0, 0, 1);
        for (int c = 0; c < 3; ++c) result.rgba.push_back(toByte((n[c] + 1) / 2));
        result.rgba.push_back(255);
    }
    return result;
}

Pixels resampleNumbers(const Pixels& pixels, int width, int height,
                       const ResampleOptions& options) {
    Floats values(pixels.rgba.begin(), pixels.rgba.end());
    for (float& value : values) value *= kOneByte;
    values = resized(values, pixels, 4, width, height, options.sharpness);
    Pixels result{width, height, {}};
    result.rgba.reserve(values.size());
    for (const float value : values) result.rgba.push_back(toByte(value));
    return result;
}

}  // namespace

Pixels resample(const Pixels& pixels, int width, int height, const ResampleOptions& options) {
    assert(width >= 1 && width <= pixels.width && height >= 1 && height <= pixels.height);
    if (width == pixels.width && height == pixels.height) return pixels;
    if (isColor(options.use)) return resampleColor(pixels, width, height, options);
    if (options.use == TextureClass::Normal) return resampleNormals(pixels, width, height, options);
    return resampleNumbers(pixels, width, height, options);
}

std::vector<float> meanNormalLengths(const Pixels& normals, int width, int height) {
    // A box, so that no average is longer than what it is of.
    const Floats values = filtered(unitNormals(normals), normals.width, normals.height, 3, width,
                                   height, STBIR_FILTER_BOX);
    std::vector<float> lengths;
    for (std::size_t i = 0; i < values.size(); i += 3)
        lengths.push_back(std::min(1.0F, Vec3f(values[i], values[i + 1], values[i + 2]).norm()));
    return lengths;
}

double roughnessFor(double roughness, double normalLength) {
    // glTF's alpha is roughness squared; a Blinn-Phong lobe of power 2 / alpha^2 - 2 is as wide.
    const double alpha = std::max(roughness * roughness, 1e-3);
    const double power = std::max(0.0, 2 / (alpha * alpha) - 2);
    const double length = std::clamp(normalLength, 1e-3, 1.0);
    const double softened = power * length / (length + power * (1 - length));
    return std::clamp(std::sqrt(std::sqrt(2 / (softened + 2))), roughness, 1.0);
}

double differenceOf(const Pixels& a, const Pixels& b, TextureClass use) {
    assert(a.width == b.width && a.height == b.height);
    double sum = 0;
    double weights = 0;
    for (std::size_t i = 0; i < a.rgba.size(); i += 4) {
        const bool countsAlpha = use == TextureClass::ColorWithAlpha;
        const double weight = isColor(use) ? std::max(a.rgba[i + 3], b.rgba[i + 3]) / 255.0 : 1.0;
        for (std::size_t c = 0; c < (countsAlpha ? 4U : 3U); ++c) {
            const double by = (a.rgba[i + c] - b.rgba[i + c]) / 255.0;
            sum += by * by * (c == 3 ? 1 : weight);
            weights += c == 3 ? 1 : weight;
        }
    }
    return weights > 0 ? std::sqrt(sum / weights) : 0;
}

}  // namespace flentro
