// What the pixels of a view are filled with.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Means over pixels; surfaces that others hide are counted too.
struct PixelWork {
    float layers = 1;    ///< Surfaces that a pixel is filled with.
    float textures = 1;  ///< Images that are looked up for all of them.
    float blended = 0;   ///< Those that are mixed with what lies behind.
    float lit = 1;       ///< Share of them that lights are worked out for, in [0, 1].
};

/// What one pixel of a material's surface asks for. `material`: -1 for the default material.
[[nodiscard]] PixelWork workOf(const Scene& scene, int material);

/// Adds up what rays meet, for a mean.
class PixelWorkSum {
public:
    /// A ray that stands for `pixels` and met surfaces of these kinds in all.
    void add(const PixelWork& met, double pixels);
    [[nodiscard]] bool empty() const { return pixels_ <= 0; }
    [[nodiscard]] PixelWork mean() const;

private:
    double pixels_ = 0, layers_ = 0, textures_ = 0, blended_ = 0, lit_ = 0;
};

}  // namespace flentro
