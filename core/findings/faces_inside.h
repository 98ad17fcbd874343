// Faces between closed pieces of one mesh, and cuts that show them.

#pragma once

#include <vector>

#include "geometry/weld.h"
#include "scene/scene.h"

namespace flentro {

/// [triangles of all parts] True for those that others of the mesh cover from the front; see
/// coveredFaces(). Parts that bend or are not opaque do not count. `welded`: of the mesh.
[[nodiscard]] std::vector<bool> facesInside(const Scene& scene, const Mesh& mesh,
                                            const WeldedMesh& welded);

/// A level or upright plane through a mesh, across one of its axes.
struct MeshCut {
    /// Where a triangle meets the plane.
    struct Segment {
        Vec2f from, to;  ///< In the plane's own axes, metres.
        bool isMarked = false;
    };
    int axis = 1;           ///< 0, 1, 2: the axis that stands on the plane.
    float position = 0;     ///< Along it, metres.
    int right = 0, up = 2;  ///< Axes of the plane: of the first and second coordinate.
    std::vector<Segment> segments;
};

/// The cut that meets most of the marked triangles, of 24 planes across each axis.
/// `marked`: [triangles of all parts]. Without any marked one an empty cut. Cost: O(T).
[[nodiscard]] MeshCut cutThroughMost(const WeldedMesh& welded, const std::vector<bool>& marked);

}  // namespace flentro
