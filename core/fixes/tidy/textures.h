// What textures and filters hold that says nothing.

#pragma once

#include <string>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "scene/scene.h"

namespace flentro {

struct TidiedTextures {
    std::size_t oneColour = 0;  ///< Uses of images of one colour that became a number.
    std::size_t alphas = 0;     ///< Images whose alpha says nothing and went.
    std::size_t filters = 0;    ///< Samplers that read mip maps now.
    std::size_t unused = 0;     ///< Images that nothing reads.
    std::size_t larger = 0;     ///< Images that stay, as they would become larger without alpha.
    /// Names of images whose alpha no material reads although it looks like a cut-out: it stays.
    std::vector<std::string> cutOuts = {};
};

/// Without loss: images of one colour (to 2 of 255) become factors of their materials where those
/// have one; alpha that is opaque everywhere, or that nobody reads, leaves PNG files that become no
/// larger by it; linear filters use mip maps; images that nothing reads go. Materials that an
/// animation changes, or that are to be kept, stay. Errors: Cancelled. Cost: every image is decoded
/// once.
[[nodiscard]] Expected<TidiedTextures> tidyTextures(Scene& scene, Progress& progress);

}  // namespace flentro
