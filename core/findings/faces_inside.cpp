#include "findings/faces_inside.h"

#include <array>
#include <cassert>
#include <cmath>

#include "base/index.h"
#include "geometry/contacts.h"

namespace flentro {
namespace {

constexpr int kPlanes = 24;  ///< Tried across each axis.

std::array<Vec3f, 3> triangleAt(const WeldedMesh& mesh, std::size_t t) {
    return {mesh.points[mesh.corners[3 * t]], mesh.points[mesh.corners[3 * t + 1]],
            mesh.points[mesh.corners[3 * t + 2]]};
}

/// Planes stand between the grid lines that made things are often laid out on.
float planeAt(float low, float high, int plane) {
    return low + (high - low) * (static_cast<float>(plane) + 0.481F) / kPlanes;
}

/// [kPlanes] Marked triangles that each plane across the axis meets.
std::array<int, kPlanes> marksMet(const WeldedMesh& mesh, const std::vector<bool>& marked, int axis,
                                  float low, float high) {
    std::array<int, kPlanes> met{};
    for (std::size_t t = 0; t < marked.size(); ++t) {
        if (!marked[t]) continue;
        const auto [a, b, c] = triangleAt(mesh, t);
        const float least = std::min({a[axis], b[axis], c[axis]});
        const float most = std::max({a[axis], b[axis], c[axis]});
        for (int plane = 0; plane < kPlanes; ++plane) {
            const float at = planeAt(low, high, plane);
            elementOf(met, plane) += least < at && at < most;
        }
    }
    return met;
}

/// Where the triangle meets the plane of the cut.
void addSegment(const std::array<Vec3f, 3>& triangle, bool isMarked, MeshCut& cut) {
    std::array<Vec2f, 2> ends;
    std::size_t count = 0;
    for (std::size_t i = 0; i < 3 && count < 2; ++i) {
        const Vec3f& a = triangle[i];
        const Vec3f& b = triangle[(i + 1) % 3];
        if ((a[cut.axis] < cut.position) == (b[cut.axis] < cut.position)) continue;
        const float share = (cut.position - a[cut.axis]) / (b[cut.axis] - a[cut.axis]);
        const Vec3f at = a + share * (b - a);
        ends[count++] = {at[cut.right], at[cut.up]};
    }
    if (count == 2) cut.segments.push_back({ends[0], ends[1], isMarked});
}

}  // namespace

std::vector<bool> facesInside(const Scene& scene, const Mesh& mesh, const WeldedMesh& welded) {
    std::vector<bool> isSolid;
    for (const Part& part : mesh.parts) {
        if (!part.isTriangles()) continue;
        const Material* material =
            part.material < 0 ? nullptr : &elementOf(scene.materials, part.material);
        isSolid.insert(
            isSolid.end(), part.triangleCount(),
            !part.isDeformable() && (!material || material->alphaMode == AlphaMode::Opaque));
    }
    return coveredFaces(welded, isSolid);
}

MeshCut cutThroughMost(const WeldedMesh& welded, const std::vector<bool>& marked) {
    assert(marked.size() * 3 == welded.corners.size());
    Eigen::AlignedBox3f bounds;
    for (std::size_t t = 0; t < marked.size(); ++t)
        if (marked[t])
            for (const Vec3f& corner : triangleAt(welded, t)) bounds.extend(corner);
    MeshCut cut;
    int most = 0;
    for (int axis = 0; axis < 3 && !bounds.isEmpty(); ++axis) {
        const float low = bounds.min()[axis], high = bounds.max()[axis];
        const auto met = marksMet(welded, marked, axis, low, high);
        for (int plane = 0; plane < kPlanes; ++plane) {
            if (elementOf(met, plane) <= most) continue;
            most = elementOf(met, plane);
            // Upright planes are drawn with Y up, level ones with Z down the page.
            cut = {axis, planeAt(low, high, plane), axis == 0 ? 2 : 0, axis == 1 ? 2 : 1, {}};
        }
    }
    for (std::size_t t = 0; most > 0 && t < marked.size(); ++t)
        addSegment(triangleAt(welded, t), marked[t], cut);
    return cut;
}

}  // namespace flentro
