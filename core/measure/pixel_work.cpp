#include "measure/pixel_work.h"

#include <set>

#include "base/index.h"

namespace flentro {

PixelWork workOf(const Scene& scene, int material) {
    if (material < 0) return {1, 0, 0, 1};
    const Material& own = elementOf(scene.materials, material);
    std::set<std::pair<int, int>> looked;  // a texture at the same coordinates is looked up once
    for (const TextureUse& use : own.textures)
        if (scene.imageOf(use.texture) >= 0) looked.emplace(use.texture, use.texCoord);
    return {1, static_cast<float>(looked.size()), own.alphaMode == AlphaMode::Blend ? 1.0F : 0.0F,
            own.unlit ? 0.0F : 1.0F};
}

void PixelWorkSum::add(const PixelWork& met, double pixels) {
    pixels_ += pixels;
    layers_ += pixels * static_cast<double>(met.layers);
    textures_ += pixels * static_cast<double>(met.textures);
    blended_ += pixels * static_cast<double>(met.blended);
    lit_ += pixels * static_cast<double>(met.lit * met.layers);
}

PixelWork PixelWorkSum::mean() const {
    if (empty()) return {0, 0, 0, 0};
    return {static_cast<float>(layers_ / pixels_), static_cast<float>(textures_ / pixels_),
            static_cast<float>(blended_ / pixels_),
            layers_ > 0 ? static_cast<float>(lit_ / layers_) : 0.0F};
}

}  // namespace flentro
