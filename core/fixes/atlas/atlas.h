// Atlas: textures of materials that differ by nothing else share pages, so that their parts can be
// one.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct AtlasSettings {
    int page = 2048;     ///< Pixels, longest edge of a page, 64 to 8192.
    int largest = 1024;  ///< Pixels; textures with a longer edge stay alone.
    int gutter = 8;      ///< Pixels of its own edge around each, 0 to 64: keeps mip maps apart.
    /// Textures that repeat a few times are packed as well, where cutting triangles along the
    /// borders of their tiles adds at most this share of vertices, 0 to 10.
    double cutShare = 0.5;
    /// Materials that differ by colour, roughness and metalness besides share pages that hold them.
    bool bakeFactors = true;

    static const FixKind& kind();
};

/// A texture's place on a page of an atlas.
struct Packing {
    std::string material;
    std::size_t image = 0;  ///< The first of its page's images, in the scene after the fix.
    int x = 0, y = 0;       ///< Pixels, without the gutter.
    int width = 0, height = 0;
    double kept = 1;  ///< Share of its texels along an edge.
    /// Of the largest role, along an edge, mean over the surface at scale 1; 0: no surface.
    double texelsPerMetre = 0;
};

struct AtlasReport final : FixReport {
    std::vector<Packing> packings;
};

/// Textures on other sets of coordinates than the first, as light maps are, stay as they are:
/// materials share a page if they share those. Left out: what repeats often (see `cutShare`) and
/// moved coordinates.
/// Errors: Cancelled. Cost: every packed image is decoded and each page encoded once.
[[nodiscard]] Expected<Fixed> applyAtlas(const Scene& scene, const AtlasSettings& settings,
                                         Progress& progress);

}  // namespace flentro
