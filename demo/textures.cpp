#include "textures.h"

#include <algorithm>
#include <cmath>

namespace flentro::demo {
namespace {

float hash(int x, int y, std::uint32_t seed) {
    std::uint32_t h = seed * 0x9E3779B9U + static_cast<std::uint32_t>(x) * 0x85EBCA6BU +
                      static_cast<std::uint32_t>(y) * 0xC2B2AE35U;
    h ^= h >> 15;
    h *= 0x2C1B3C6DU;
    h ^= h >> 12;
    h *= 0x297A2D39U;
    h ^= h >> 15;
    return static_cast<float>(h & 0xFFFFFF) / static_cast<float>(0xFFFFFF);
}

int wrap(int value, int period) {
    return ((value % period) + period) % period;
}

float smooth(float t) {
    return t * t * (3 - 2 * t);
}

float valueNoise(float x, float y, int period, std::uint32_t seed) {
    const float fx = std::floor(x);
    const float fy = std::floor(y);
    const int ix = static_cast<int>(fx);
    const int iy = static_cast<int>(fy);
    const float tx = smooth(x - fx);
    const float ty = smooth(y - fy);
    const auto at = [&](int dx, int dy) {
        return hash(wrap(ix + dx, period), wrap(iy + dy, period), seed);
    };
    const float top = at(0, 0) + (at(1, 0) - at(0, 0)) * tx;
    const float bottom = at(0, 1) + (at(1, 1) - at(0, 1)) * tx;
    return top + (bottom - top) * ty;
}

Vec4f opaque(const Vec3f& color) {
    return {color.x(), color.y(), color.z(), 1};
}

float fraction(float value) {
    return value - std::floor(value);
}

}  // namespace

float noise(float u, float v, int period, int octaves, std::uint32_t seed) {
    float sum = 0;
    float amplitude = 0.5F;
    float total = 0;
    for (int i = 0; i < octaves; ++i) {
        const int cells = period << i;
        sum += amplitude * valueNoise(u * static_cast<float>(cells), v * static_cast<float>(cells),
                                      cells, seed + static_cast<std::uint32_t>(i));
        total += amplitude;
        amplitude *= 0.5F;
    }
    return sum / total;
}

Painter brick(const Vec3f& base, const Vec3f& mortar, std::uint32_t seed) {
    return [=](float u, float v) {
        constexpr int kRows = 16;
        constexpr int kColumns = 6;
        const int row = static_cast<int>(v * kRows);
        const float shifted = fraction(u + (row % 2 == 0 ? 0 : 0.5F / kColumns));
        const int column = static_cast<int>(shifted * kColumns);
        const float x = fraction(shifted * kColumns);
        const float y = fraction(v * kRows);
        const bool joint = x < 0.05F || y < 0.12F;
        const float grain = noise(u, v, 32, 3, seed);
        if (joint) return opaque(mortar * (0.7F + 0.5F * grain));
        const float tone = 0.65F + 0.5F * hash(column, row, seed);
        const float edge =
            std::min({(x - 0.05F) * 9, (1 - x) * 9, (y - 0.12F) * 5, (1 - y) * 5, 1.0F});
        return opaque(base * (tone * (0.75F + 0.4F * grain) * (0.72F + 0.28F * edge)));
    };
}

Painter cobble(const Vec3f& base, std::uint32_t seed) {
    return [=](float u, float v) {
        constexpr int kCells = 10;
        const float x = u * kCells;
        const float y = v * kCells;
        float nearest = 9;
        float second = 9;
        float tone = 0;
        for (int dy = -1; dy <= 1; ++dy)
            for (int dx = -1; dx <= 1; ++dx) {
                const int cx = static_cast<int>(std::floor(x)) + dx;
                const int cy = static_cast<int>(std::floor(y)) + dy;
                const int wx = wrap(cx, kCells);
                const int wy = wrap(cy, kCells);
                const float px = static_cast<float>(cx) + 0.2F + 0.6F * hash(wx, wy, seed);
                const float py = static_cast<float>(cy) + 0.2F + 0.6F * hash(wx, wy, seed + 1);
                const float d = std::hypot(x - px, y - py);
                if (d < nearest) {
                    second = nearest;
                    nearest = d;
                    tone = hash(wx, wy, seed + 2);
                } else {
                    second = std::min(second, d);
                }
            }
        const float round = smooth(std::clamp((second - nearest) * 3.5F, 0.0F, 1.0F));
        const float grain = noise(u, v, 24, 3, seed + 3);
        return opaque(base *
                      ((0.3F + 0.7F * round) * (0.65F + 0.4F * tone) * (0.75F + 0.5F * grain)));
    };
}

Painter planks(const Vec3f& base, int boards, std::uint32_t seed) {
    return [=](float u, float v) {
        const int board = static_cast<int>(v * static_cast<float>(boards));
        const float y = fraction(v * static_cast<float>(boards));
        const float gap = y < 0.05F ? 0.3F : 1.0F;
        const float shift = hash(board, 7, seed);
        const float grain = noise(fraction(u * 0.25F + shift), v, 64, 2, seed);
        const float rings = noise(fraction(u * 0.5F + shift), fraction(v * 8), 8, 3, seed + 1);
        const float tone = 0.7F + 0.4F * hash(board, 1, seed);
        return opaque(base * (gap * tone * (0.7F + 0.3F * grain + 0.25F * rings)));
    };
}

Painter rope(const Vec3f& base, std::uint32_t seed) {
    return [=](float u, float v) {
        const float strand = fraction(u * 3 + v * 4);
        const float round = 0.45F + 0.55F * std::sin(strand * static_cast<float>(kPi));
        return opaque(base * (round * (0.75F + 0.5F * noise(u, v, 32, 2, seed))));
    };
}

Painter speckled(const Vec3f& base, float contrast, std::uint32_t seed) {
    return [=](float u, float v) {
        const float coarse = noise(u, v, 6, 4, seed);
        const float fine = noise(u, v, 96, 2, seed + 9);
        return opaque(base * (1 - contrast + contrast * (coarse + fine)));
    };
}

Painter striped(const Vec3f& a, const Vec3f& b, int stripes, std::uint32_t seed) {
    return [=](float u, float v) {
        const bool first = static_cast<int>(u * static_cast<float>(2 * stripes)) % 2 == 0;
        const float weave = 0.85F + 0.15F * noise(u, v, 128, 1, seed);
        const float stain = 0.8F + 0.3F * noise(u, v, 4, 3, seed + 1);
        return opaque((first ? a : b) * (weave * stain));
    };
}

Painter leaves(const Vec3f& base, std::uint32_t seed) {
    return [=](float u, float v) {
        const float mass = noise(u, v, 12, 3, seed);
        const float rim = 1 - 2 * std::hypot(u - 0.5F, v - 0.5F);
        const float tone = 0.6F + 0.7F * noise(u, v, 40, 2, seed + 1);
        Vec4f color = opaque(base * tone);
        color.w() = mass + rim * 0.5F > 0.62F ? 1.0F : 0.0F;
        return color;
    };
}

Painter waves(std::uint32_t seed) {
    return [=](float u, float v) {
        constexpr float kStep = 1.0F / 512;
        const auto height = [=](float x, float y) {
            return noise(fraction(x), fraction(y), 10, 4, seed);
        };
        const Vec3f n = Vec3f((height(u - kStep, v) - height(u + kStep, v)) * 12,
                              (height(u, v - kStep) - height(u, v + kStep)) * 12, 1)
                            .normalized();
        return opaque(n * 0.5F + Vec3f::Constant(0.5F));
    };
}

Painter label(const Vec3f& paper, const Vec3f& ink, std::uint32_t seed) {
    return [=](float u, float v) {
        const bool frame = u < 0.04F || u > 0.96F || v < 0.06F || v > 0.94F;
        const int line = static_cast<int>(v * 14);
        const float length = 0.3F + 0.55F * hash(line, 3, seed);
        const bool text = line > 3 && line % 2 == 0 && u > 0.12F && u < 0.12F + length &&
                          hash(static_cast<int>(u * 60), line, seed) > 0.25F;
        const bool emblem = std::hypot(u - 0.5F, (v - 0.18F) * 1.2F) < 0.1F;
        return opaque(frame || text || emblem ? ink : paper);
    };
}

Painter plain(const Vec3f& color) {
    return [=](float, float) { return opaque(color); };
}

Picture paint(const PictureRecipe& recipe) {
    Picture picture{recipe.name, recipe.width, recipe.height, recipe.channels, {}};
    const auto channels = static_cast<std::size_t>(recipe.channels);
    picture.pixels.resize(static_cast<std::size_t>(recipe.width) *
                          static_cast<std::size_t>(recipe.height) * channels);
    std::size_t out = 0;
    for (int y = 0; y < recipe.height; ++y)
        for (int x = 0; x < recipe.width; ++x) {
            const Vec4f color =
                recipe.painter((static_cast<float>(x) + 0.5F) / static_cast<float>(recipe.width),
                               (static_cast<float>(y) + 0.5F) / static_cast<float>(recipe.height));
            for (std::size_t c = 0; c < channels; ++c) {
                const float channel = std::clamp(color[static_cast<int>(c)], 0.0F, 1.0F);
                picture.pixels[out++] = static_cast<std::uint8_t>(std::lround(channel * 255));
            }
        }
    return picture;
}

}  // namespace flentro::demo
