// Tidy: what shows nothing is taken away.

#pragma once

#include "fixes/fix.h"

namespace flentro {

/// Nothing is lost but with `holeSize` and `unseen`.
struct TidySettings {
    bool weld = true;
    bool dropDegenerate = true;
    bool dropDuplicates = true;
    /// Faces that lie on others, turned the other way, and look alike: one of each pair is dropped
    /// and its material becomes two-sided.
    bool joinTwins = true;
    bool dropUnused = true;
    bool joinTiles = true;  ///< Lets repeating textures run on over faces that have one each.
    /// Fewer triangles where surface and attributes are flat. Vertices on open borders that lie on
    /// those of other objects stay.
    bool dissolve = true;
    bool textures = true;  ///< See tidyTextures().
    double holeSize = 0;   ///< Metres at scale 1: smaller holes are closed to a point; 0: none.
    std::vector<MeshRuns> unseen;  ///< First triangle and count, ...: dropped.

    static const FixKind& kind();
};

struct TidyReport final : FixReport {
    std::vector<Saving> steps;  ///< Of the whole scene, in their order.
};

/// Errors: Cancelled. Cost: O(V log V + T log T).
[[nodiscard]] Expected<Fixed> applyTidy(const Scene& scene, const TidySettings& settings,
                                        Progress& progress);

}  // namespace flentro
