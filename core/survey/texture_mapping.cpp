#include "survey/texture_mapping.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace flentro {
namespace {

TextureMapping mappingOf(const Scene& scene, const TextureUse& use) {
    TextureMapping mapping{use.texCoord, use.transform.leftCols<2>()};
    const int index = scene.imageOf(use.texture);
    if (index < 0) return mapping;
    const Image& image = elementOf(scene.images, index);
    if (image.width <= 0 || image.height <= 0) return mapping;
    const float stretch =
        std::sqrt(static_cast<float>(image.width) / static_cast<float>(image.height));
    mapping.linear.row(0) *= stretch;
    mapping.linear.row(1) /= stretch;
    return mapping;
}

}  // namespace

TextureMappings::TextureMappings(const Scene& scene) {
    for (const Material& material : scene.materials) {
        first_.push_back(mappings_.size());
        ofUse_.emplace_back();
        for (const TextureUse& use : material.textures) {
            const TextureMapping mapping = mappingOf(scene, use);
            const auto own = mappings_.begin() + static_cast<std::ptrdiff_t>(first_.back());
            const auto known = std::find(own, mappings_.end(), mapping);
            ofUse_.back().push_back(static_cast<std::size_t>(known - mappings_.begin()));
            if (known == mappings_.end()) mappings_.push_back(mapping);
        }
    }
    first_.push_back(mappings_.size());
}

float leastDensity(const std::array<Vec3d, 3>& corners, const std::array<Vec2f, 3>& coords,
                   const Eigen::Matrix2f& linear) {
    const Vec3d along = corners[1] - corners[0];
    const Vec3d other = corners[2] - corners[0];
    const double length = along.norm();
    const double height = along.cross(other).norm() / std::max(length, 1e-300);
    if (!(length > 0) || !(height > 0)) return 0;
    // Both edges in the triangle's own plane, and in the texture.
    Eigen::Matrix2d surface;
    surface << length, along.dot(other) / length, 0, height;
    Eigen::Matrix2d texture;
    texture.col(0) = (coords[1] - coords[0]).cast<double>();
    texture.col(1) = (coords[2] - coords[0]).cast<double>();
    const Eigen::Matrix2d m = linear.cast<double>() * texture * surface.inverse();
    // Least singular value of a 2 x 2 matrix, from its determinant and its square sum.
    const double square = m.squaredNorm();
    const double area = std::fabs(m.determinant());
    const double largest =
        std::sqrt((square + std::sqrt(std::max(0.0, square * square - 4 * area * area))) / 2);
    const double least = largest > 0 ? area / largest : 0;
    return std::isfinite(least) ? static_cast<float>(least) : 0;
}

}  // namespace flentro
