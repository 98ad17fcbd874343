// A little figure with all that an importer can lose, as the import library's scene.

#pragma once

#include <assimp/scene.h>

#include <memory>

namespace flentro::test {

/// A box of 24 vertices on two bones, 1 x 2 x 1: two sets of coordinates, colours, a picture
/// ("leaf.png") in its material. Bones bend in an animation of 2 s; a camera and a point light
/// stand by.
[[nodiscard]] std::unique_ptr<aiScene> makeFigure();

}  // namespace flentro::test
