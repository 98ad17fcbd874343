// Share: equal things under several names become one. Nothing changes that can be seen.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct ShareSettings {
    /// How far vertices of equal meshes may lie apart, in sizes of the mesh, 1e-7 to 0.01; never
    /// farther than the target's display can show.
    double tolerance = 1e-4;
    bool matchTransformed = true;  ///< Also turned, scaled or mirrored copies.
    bool materials = true;         ///< Materials equal in value.
    bool images = true;            ///< Images equal in every pixel.
    /// Parts of one mesh with equal materials become one: one draw call instead of several.
    bool parts = true;

    static const FixKind& kind();
};

/// [materials] The first that each equals in all but name, where equal images count as one:
/// `images` [images] the first that each is equal to.
[[nodiscard]] std::vector<int> firstEqualMaterials(const Scene& scene,
                                                   const std::vector<int>& images);

/// Errors: Cancelled. Cost: O(V log V) for all meshes; images of equal size are decoded.
[[nodiscard]] Expected<Fixed> applyShare(const Scene& scene, const ShareSettings& settings,
                                         const Target& target, Progress& progress);

}  // namespace flentro
