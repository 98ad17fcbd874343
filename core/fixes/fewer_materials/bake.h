// Several materials of an object baked into one: a page of the object's own on which each has a
// place as large as it is seen, however often its texture repeats.

#pragma once

#include <optional>
#include <vector>

#include "base/progress.h"
#include "fixes/evidence.h"
#include "scene/scene.h"

namespace flentro {

struct BakeSettings {
    int page = 2048;         ///< Pixels, longest edge.
    double leastKept = 0.5;  ///< Share of the texels that are needed, along an edge.
    double perMetre = 1000;  ///< Pixels of a metre at one metre, of the display.
    double cutShare = 0.5;   ///< Vertices more by cutting, of the mesh that they are of.
};

/// What was put on one page.
struct Baked {
    std::vector<std::size_t> assets;
    std::vector<int> materials;  ///< That are one now.
    double kept = 1;             ///< Share of the texels that are needed, of the worst, 0 to 1.
};

/// For each of `assets` (whose level 0 has more materials than `limit`) as many of its opaque
/// materials as bring it to the limit, those that need the least room; objects with the same choice
/// share a page. Where one has no room for a texture that repeats, its triangles are given vertices
/// of their own where it begins anew, then cut there (geometry/tile_cut.h); then several pages are
/// tried. Texels that are needed: as many as its textures have, or as the nearest place of the
/// evidence sees on its display. The scene gets the images, textures and materials of the pages
/// behind those that it has, and the assets read from them at all levels.
///
/// Left alone: what `fixed` [materials] says, what is blended or cut out, moved or second
/// coordinates, extensions but emissive strength, scaled normals and occlusion, deep images, and
/// what does not fit on pages with `leastKept`. Cost: O(texels of the pages and their textures).
[[nodiscard]] std::vector<Baked> bakeMaterials(Scene& scene, const std::vector<std::size_t>& assets,
                                               std::size_t limit, const std::vector<bool>& fixed,
                                               const Evidence& evidence,
                                               const BakeSettings& settings, Progress& progress);

}  // namespace flentro
