#include "picture/texels.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <mutex>

#include "base/index.h"

namespace flentro {

Texels::Texels(Pixels top) {
    std::vector<Pixels> smaller = mipMaps(top);
    maps_.push_back(std::move(top));
    for (Pixels& map : smaller) maps_.push_back(std::move(map));
}

int Texels::edge() const {
    return std::max(maps_.front().width, maps_.front().height);
}

Vec4f Texels::at(const Vec2f& where, float across) const {
    assert(where.allFinite());
    const auto level = static_cast<std::size_t>(std::log2(std::max(1.0F, across)));
    const Pixels& map = maps_[std::min(maps_.size() - 1, level)];
    const auto wrap = [](float c, int size) {
        const auto texel = static_cast<int>((c - std::floor(c)) * static_cast<float>(size));
        return static_cast<std::size_t>(std::clamp(texel, 0, size - 1));
    };
    const std::size_t index = wrap(where.y(), map.height) * static_cast<std::size_t>(map.width) +
                              wrap(where.x(), map.width);
    const std::uint8_t* p = map.rgba.data() + 4 * index;
    return Vec4f(p[0], p[1], p[2], p[3]) / 255;
}

struct TextureCache::Entry {
    std::once_flag once;
    std::unique_ptr<const Texels> texels;
};

TextureCache::TextureCache(const Scene& scene, int edge)
    : images_(scene.images), entries_(std::make_unique<Entry[]>(scene.images.size())), edge_(edge) {
    for (const Texture& texture : scene.textures) imageOf_.push_back(texture.image);
}

TextureCache::~TextureCache() = default;

const Texels* TextureCache::find(int texture) const {
    if (texture < 0 || static_cast<std::size_t>(texture) >= imageOf_.size()) return nullptr;
    const int image = elementOf(imageOf_, texture);
    if (image < 0) return nullptr;
    Entry& entry = entries_[static_cast<std::size_t>(image)];
    std::call_once(entry.once, [&] {
        auto pixels = decodeImage(elementOf(images_, image), edge_);
        if (pixels) entry.texels = std::make_unique<const Texels>(std::move(*pixels));
    });
    return entry.texels.get();
}

float toDisplay(float linear) {
    const float c = std::clamp(linear, 0.0F, 1.0F);
    return c <= 0.0031308F ? 12.92F * c : 1.055F * std::pow(c, 1 / 2.4F) - 0.055F;
}

float toLinear(float display) {
    const float c = std::clamp(display, 0.0F, 1.0F);
    return c <= 0.04045F ? c / 12.92F : std::pow((c + 0.055F) / 1.055F, 2.4F);
}

}  // namespace flentro
