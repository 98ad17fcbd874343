// Part size: parts of more vertices than a target allows become several.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct PartSizeSettings {
    /// Vertices of one part, 100 at least; 0: as many as the target allows and as indices of two
    /// bytes reach.
    std::size_t maxVertices = 0;

    static const FixKind& kind();
};

/// Cuts along triangles, in half across the longest extent and again until every piece fits: each
/// piece is a part of its own beside the others, so that the object stays one. The surface stays
/// as it is, at every level; vertices along the cuts are there twice. Points and lines stay.
/// Errors: Cancelled. Cost: O(T log T).
[[nodiscard]] Expected<Fixed> applyPartSize(const Scene& scene, const PartSizeSettings& settings,
                                            const Target& target, Progress& progress);

}  // namespace flentro
