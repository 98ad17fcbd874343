// A decoded picture with its mip maps, looked up as a renderer would.

#pragma once

#include <memory>

#include "io/image.h"

namespace flentro {

class Texels {
public:
    /// Cost: O(pixels).
    explicit Texels(Pixels top);

    [[nodiscard]] int edge() const;  ///< The longer one, pixels.

    /// The nearest texel, 0 to 1 each; the picture repeats. `across`: texels of the finest map
    /// along the edge of the area asked for. `where` must be finite.
    [[nodiscard]] Vec4f at(const Vec2f& where, float across) const;

    /// Of the whole picture.
    [[nodiscard]] Vec4f mean() const { return at({0, 0}, 1e9F); }

private:
    std::vector<Pixels> maps_;
};

/// The textures of a scene, each decoded when first asked for, once. Reentrant.
class TextureCache {
public:
    /// Of textures larger than `edge` pixels smaller ones are kept.
    TextureCache(const Scene& scene, int edge);
    ~TextureCache();

    /// Null if there is none (-1) or it cannot be decoded.
    [[nodiscard]] const Texels* find(int texture) const;

private:
    struct Entry;
    std::vector<int> imageOf_;  ///< [textures]
    std::vector<Image> images_;
    std::unique_ptr<Entry[]> entries_;  ///< [images]
    int edge_;
};

// IEC 61966-2-1, clamped to 0 to 1.
[[nodiscard]] float toDisplay(float linear);
[[nodiscard]] float toLinear(float display);

}  // namespace flentro
