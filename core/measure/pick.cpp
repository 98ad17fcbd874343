#include "measure/pick.h"

#include <Eigen/LU>
#include <algorithm>

namespace flentro {
namespace {

constexpr double kMissed = std::numeric_limits<double>::infinity();

/// Distance at which a ray enters a box; 0 from inside; kMissed if it does not (slab test).
double enter(const Box& box, const Vec3d& origin, const Vec3d& direction) {
    double near = 0;
    double far = kMissed;
    for (int axis = 0; axis < 3; ++axis) {
        if (direction[axis] == 0) {
            if (origin[axis] < box.min()[axis] || origin[axis] > box.max()[axis]) return kMissed;
            continue;
        }
        const double a = (box.min()[axis] - origin[axis]) / direction[axis];
        const double b = (box.max()[axis] - origin[axis]) / direction[axis];
        near = std::max(near, std::min(a, b));
        far = std::min(far, std::max(a, b));
    }
    return near <= far ? near : kMissed;
}

/// Moeller & Trumbore 1997, without culling.
double hitTriangle(const Vec3f p[3], const Vec3d& origin, const Vec3d& direction) {
    const Vec3d a = p[0].cast<double>();
    const Vec3d e1 = p[1].cast<double>() - a;
    const Vec3d e2 = p[2].cast<double>() - a;
    const Vec3d h = direction.cross(e2);
    const double det = e1.dot(h);
    if (det == 0) return kMissed;
    const Vec3d s = origin - a;
    const double u = s.dot(h) / det;
    const Vec3d q = s.cross(e1);
    const double v = direction.dot(q) / det;
    const double t = e2.dot(q) / det;
    return u >= 0 && v >= 0 && u + v <= 1 && t > 0 ? t : kMissed;
}

struct MeshHit {
    double at = kMissed;
    std::size_t triangle = 0;
};

/// The ray parameter is the same in object space, as the direction is not normalised there.
MeshHit hitMesh(const Mesh& mesh, const Vec3d& origin, const Vec3d& direction) {
    MeshHit nearest;
    std::size_t triangle = 0;
    for (const Part& part : mesh.parts) {
        if (!part.isTriangles()) continue;
        const std::vector<Vec3f> positions = positionsOf(part);
        forEachTriangle(part, [&](const Corners& t) {
            const Vec3f p[3] = {positions[t[0]], positions[t[1]], positions[t[2]]};
            const double at = hitTriangle(p, origin, direction);
            if (at < nearest.at) nearest = {at, triangle};
            ++triangle;
        });
    }
    return nearest;
}

}  // namespace

std::optional<Picked> pick(const Scene& scene, const std::vector<DrawnObject>& drawn,
                           const Vec3d& origin, const Vec3d& direction) {
    std::vector<std::pair<double, DrawnObject>> candidates;
    for (const DrawnObject& entry : drawn) {
        const double at = enter(scene.objects[entry.object].bounds, origin, direction);
        if (at < kMissed) candidates.emplace_back(at, entry);
    }
    std::sort(candidates.begin(), candidates.end(),
              [](const auto& a, const auto& b) { return a.first < b.first; });
    std::optional<Picked> best;
    for (const auto& [at, entry] : candidates) {
        if (best && at > best->distance) break;
        const Object& object = scene.objects[entry.object];
        const Mat4d inverse = object.world.inverse();
        if (!isFinite(inverse)) continue;
        const Mesh& mesh = *scene.asset(object).level(entry.level);
        const MeshHit hit = hitMesh(mesh, transformPoint(inverse, origin),
                                    inverse.topLeftCorner<3, 3>() * direction);
        if (hit.at < kMissed && (!best || hit.at < best->distance))
            best = Picked{entry.object, entry.level, hit.triangle, hit.at,
                          origin + hit.at * direction};
    }
    return best;
}

}  // namespace flentro
