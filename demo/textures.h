// Procedural pictures: brick, cobble, planks and the like, from value noise.

#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "geometry/space.h"

namespace flentro::demo {

struct Picture {
    std::string name;
    int width = 0;  ///< Pixels.
    int height = 0;
    int channels = 3;
    std::vector<std::uint8_t> pixels;  ///< [height * width * channels]
};

/// Colour (and alpha) at u, v in [0, 1); repeats without a seam.
using Painter = std::function<Vec4f(float u, float v)>;

struct PictureRecipe {
    std::string name;
    int width = 512;
    int height = 512;
    int channels = 3;
    Painter painter;
};

[[nodiscard]] Picture paint(const PictureRecipe& recipe);

/// Smooth noise in [0, 1] that repeats after `period` cells; `octaves` finer layers added.
[[nodiscard]] float noise(float u, float v, int period, int octaves, std::uint32_t seed);

[[nodiscard]] Painter brick(const Vec3f& base, const Vec3f& mortar, std::uint32_t seed);
[[nodiscard]] Painter cobble(const Vec3f& base, std::uint32_t seed);
[[nodiscard]] Painter planks(const Vec3f& base, int boards, std::uint32_t seed);
[[nodiscard]] Painter rope(const Vec3f& base, std::uint32_t seed);
[[nodiscard]] Painter speckled(const Vec3f& base, float contrast,
                               std::uint32_t seed);  ///< Enamel, stone, metal.
[[nodiscard]] Painter striped(const Vec3f& a, const Vec3f& b, int stripes,
                              std::uint32_t seed);                    ///< Canvas.
[[nodiscard]] Painter leaves(const Vec3f& base, std::uint32_t seed);  ///< With alpha.
[[nodiscard]] Painter waves(std::uint32_t seed);                      ///< A normal map.
[[nodiscard]] Painter label(const Vec3f& paper, const Vec3f& ink, std::uint32_t seed);
[[nodiscard]] Painter plain(const Vec3f& color);

}  // namespace flentro::demo
