// The last level of a ladder as two crossed cards that carry pictures of the asset.
//
// After X. Decoret, F. Durand, F. Sillion, J. Dorsey, "Billboard clouds for extreme model
// simplification", 2003, with the two upright planes through the middle that every renderer can
// show without a program of its own.

#pragma once

#include "base/error.h"
#include "fixes/ladder/ladder.h"
#include "picture/texels.h"

namespace flentro {

/// Two rectangles, each seen from both sides, as wide and high as the bounds, crossing upright
/// in their middle: 8 vertices, 4 triangles, the texture coordinates 0 to 1 on each.
[[nodiscard]] Part makeCards(const Box& bounds);

struct Cards {
    std::size_t added = 0;
    std::size_t refused = 0;  ///< Looked too different where they would take over.
};

/// Adds cards to ladders that have levels of more triangles, from where the asset is
/// `settings.cardPixels` high or wide, if that is within the far plane. Their pictures are
/// painted by rays and packed on pages. Errors: Cancelled. Both cores.
[[nodiscard]] Expected<Cards> addCards(Scene& scene, std::shared_ptr<const TextureCache> textures,
                                       const LadderSettings& settings, const Target& target,
                                       Progress& progress);

}  // namespace flentro
