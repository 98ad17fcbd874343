// What far levels can do without: maps, transparency, second sides, materials, and in the end
// their shape.

#pragma once

#include "base/error.h"
#include "fixes/ladder/ladder.h"
#include "picture/texels.h"

namespace flentro {

/// The material without its normal, occlusion and metal-roughness maps, which become factors by
/// their mean; transparency that covers half or more becomes opaque, or a cut-out where the
/// picture has holes; one-sided if `closed`.
[[nodiscard]] Material cheapMaterial(const TextureCache& textures, const Material& material,
                                     bool closed);

/// True if each edge has a triangle on either side, whatever the parts: no back can be seen.
/// Cost: O(T log T).
[[nodiscard]] bool isClosed(const Mesh& mesh);

/// The mesh with all opaque parts as one, their looks kept in the colours of its vertices;
/// the same mesh if that would save no part. Parts that cut out, shine through, glow, bend or
/// hold no triangles stay. Adds the material it needs to the scene. Cost: O(V + T).
[[nodiscard]] MeshPtr onePart(Scene& scene, const TextureCache& textures, const MeshPtr& mesh);

/// What was done to the scene's ladders.
struct FarLevels {
    std::size_t plain = 0;    ///< Levels with cheaper materials.
    std::size_t onePart = 0;  ///< Levels that lost parts.
    std::size_t cards = 0;    ///< Assets that end in crossed cards.
    std::size_t refused = 0;  ///< Assets whose cards would look too different.
};

/// Applies `plainFromLevel`, `singlePartFromLevel` and `cardPixels` to all ladders. The pictures
/// of the cards share pages of at most 4096 pixels an edge. Errors: Cancelled.
[[nodiscard]] Expected<FarLevels> cheapenFarLevels(Scene& scene, const LadderSettings& settings,
                                                   const Target& target, Progress& progress);

}  // namespace flentro
