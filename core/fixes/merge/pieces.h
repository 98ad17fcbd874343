// Objects as pieces of one material each, which may be merged apart from each other.

#pragma once

#include "fixes/merge/parcels.h"

namespace flentro {

/// A scene whose objects are pieces of those of another one. Nothing but counts, groups and merged
/// meshes may be asked of it: several objects are on one node.
struct Pieces {
    Scene scene;
    std::vector<std::uint32_t> objectOf;  ///< [objects] Of the other scene.
    std::vector<std::uint32_t> assetOf;   ///< [assets] Likewise.

    /// Objects of the other scene, in rising order.
    [[nodiscard]] Group wholes(const Group& pieces) const;
};

/// Every object as it is.
[[nodiscard]] Pieces wholePieces(const Scene& scene);

/// One piece for each kind of part of an object that may be merged, if all copies of its mesh may;
/// with all levels. A level without parts of a kind shows those of the finer one. Cost: O(objects +
/// parts).
[[nodiscard]] Pieces piecesByMaterial(const Scene& scene,
                                      const std::vector<MergeEligibility>& eligibility);

/// The scene without the pieces that are marked: an object goes with its last piece and shows the
/// others until then. [pieces] Cost: O(objects + nodes + parts).
[[nodiscard]] Scene withoutPieces(const Scene& scene, const Pieces& pieces,
                                  const std::vector<bool>& gone);

}  // namespace flentro
