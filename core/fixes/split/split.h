// Split: one mesh becomes several at the same place, so that culling and levels have something to
// act on.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct SplitSettings {
    bool transparent = true;      ///< Blended parts leave opaque ones.
    double minGap = 10;           ///< Metres between loose pieces that become objects; 0: never.
    double cell = 32;             ///< Metres; larger meshes are cut into cells; 0: never.
    int minCellTriangles = 1000;  ///< Of a cell, in the mean: else cells are larger.

    static const FixKind& kind();
};

/// A mesh that became several.
struct SplitMesh {
    std::string asset;
    std::size_t pieces = 0;
    std::size_t copies = 0;
    std::size_t transparent = 0;  ///< Pieces that are only transparent.
};

struct SplitReport final : FixReport {
    std::vector<SplitMesh> meshes;  ///< Most pieces first.
};

/// Errors: Cancelled. Cost: O(T log T). Pieces of animated weights, skinned and morphed meshes stay
/// together.
[[nodiscard]] Expected<Fixed> applySplit(const Scene& scene, const SplitSettings& settings,
                                         Progress& progress);

}  // namespace flentro
