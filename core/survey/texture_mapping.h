// How the materials of a scene lay images over surfaces, as far as the need for texels depends on
// it: which coordinates, scaled and turned how.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Coordinates of one set, times a matrix; in units in which an image of `aspect` is square.
struct TextureMapping {
    int texCoord = 0;
    Eigen::Matrix2f linear = Eigen::Matrix2f::Identity();
    bool operator==(const TextureMapping&) const = default;
};

/// The different mappings of each material, numbered over the scene. Materials that are added
/// behind others leave the numbers of those as they are.
class TextureMappings {
public:
    /// Cost: O(materials x their textures).
    explicit TextureMappings(const Scene& scene);

    [[nodiscard]] std::size_t size() const { return mappings_.size(); }
    [[nodiscard]] const TextureMapping& operator[](std::size_t i) const { return mappings_[i]; }
    /// First mapping of a material; those of one lie together. [materials + 1]
    [[nodiscard]] std::size_t first(std::size_t material) const { return first_[material]; }
    /// The mapping of a material's texture, by its place in Material::textures.
    [[nodiscard]] std::size_t of(std::size_t material, std::size_t use) const {
        return ofUse_[material][use];
    }

private:
    std::vector<TextureMapping> mappings_;
    std::vector<std::size_t> first_;
    std::vector<std::vector<std::size_t>> ofUse_;
};

/// Texture coordinates a metre along the direction in which an image is stretched most, on a
/// triangle with these corners: the least singular value of the mapping. 0 for degenerate ones.
[[nodiscard]] float leastDensity(const std::array<Vec3d, 3>& corners,
                                 const std::array<Vec2f, 3>& coords, const Eigen::Matrix2f& linear);

}  // namespace flentro
