// How differently two meshes look from where one takes over from the other.

#pragma once

#include <span>

#include "picture/painter.h"

namespace flentro {

struct PictureDifference {
    /// Coverage that one has and the other lacks, as a share of the first one's coverage.
    double silhouette = 0;
    double silhouettePixels = 0;  ///< The same in pixels.
    /// Root mean square difference of the colour where both cover, 0 to 1 of the display's range.
    double shading = 0;
};

/// Both of the same size. Nothing covered in the first: silhouette is 0 if the other covers
/// nothing either, else 1. Cost: O(pixels).
[[nodiscard]] PictureDifference compare(const Picture& a, const Picture& b);

/// Unit vectors from a thing to six eyes around it, a little above its middle.
[[nodiscard]] std::span<const Vec3d> sidesAround();

/// The worst of each over those sides, at `distance` metres. Cost: 32 rays a pixel and side.
[[nodiscard]] PictureDifference differenceAt(const MeshPainter& original, const MeshPainter& other,
                                             const Box& bounds, double distance,
                                             double pixelsPerMetreAtOne);

}  // namespace flentro
