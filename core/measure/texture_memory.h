// What images take of a target's texture memory: by what each is for.

#pragma once

#include <vector>

#include "budget/target.h"
#include "scene/scene.h"

namespace flentro {

/// [images] What each is for, by the roles in which materials use it: colour before normals before
/// masks where there are several. Cost: O(materials).
[[nodiscard]] std::vector<TextureClass> textureClasses(const Scene& scene);

/// Bytes of a picture of this size, with mip maps if the target has them.
[[nodiscard]] double textureBytes(int width, int height, TextureClass use, const Target& target);

/// The bytes of all images of a scene, worked out once.
class TextureMemory {
public:
    TextureMemory(const Scene& scene, const Target& target);

    [[nodiscard]] double of(std::size_t image) const { return bytes_[image]; }
    [[nodiscard]] TextureClass classOf(std::size_t image) const { return classes_[image]; }

private:
    std::vector<TextureClass> classes_;
    std::vector<double> bytes_;  ///< [images]
};

}  // namespace flentro
