// Small pictures by a function of the pixel, and materials that show them.

#pragma once

#include <array>
#include <functional>

#include "io/gltf_materials.h"
#include "io/image.h"

namespace flentro::test {

/// Red, green, blue, alpha of a pixel, 0 to 255.
using PixelOf = std::function<std::array<int, 4>(int x, int y)>;

[[nodiscard]] inline Pixels makePixels(int width, int height, const PixelOf& pixel) {
    Pixels pixels{width, height, {}};
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            for (const int value : pixel(x, y))
                pixels.rgba.push_back(static_cast<std::uint8_t>(value));
    return pixels;
}

/// A PNG with the first `channels`.
[[nodiscard]] inline Image makePicture(int width, int height, const PixelOf& pixel,
                                       int channels = 4) {
    Image image;
    image.name = "picture";
    image.mime = "image/png";
    image.width = width;
    image.height = height;
    image.channels = channels;
    auto png = encodeLike(image, makePixels(width, height, pixel));
    image.hash = hashBytes(png);
    image.data = std::make_shared<const std::vector<std::byte>>(std::move(png));
    return image;
}

[[nodiscard]] inline PixelOf plain(std::array<int, 4> colour) {
    return [colour](int, int) { return colour; };
}

/// Adds a picture with a texture of its own; returns the texture.
inline int addPicture(Scene& scene, Image image) {
    Texture texture;
    texture.image = static_cast<int>(scene.images.size());
    scene.images.push_back(std::move(image));
    scene.textures.push_back(texture);
    return static_cast<int>(scene.textures.size()) - 1;
}

/// Adds a material as a glTF file has it; returns its index.
inline int addMaterial(Scene& scene, const Json& source) {
    scene.materials.push_back(parseMaterial(source));
    return static_cast<int>(scene.materials.size()) - 1;
}

/// Gives all parts of an asset a material.
inline void setMaterial(Scene& scene, std::size_t asset, int material) {
    Mesh mesh = *scene.assets[asset].mesh;
    for (Part& part : mesh.parts) part.material = material;
    scene.assets[asset].mesh = finishMesh(std::move(mesh));
}

}  // namespace flentro::test
