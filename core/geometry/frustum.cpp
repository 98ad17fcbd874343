#include "geometry/frustum.h"

#include <cassert>
#include <cmath>

namespace flentro {

double Projection::horizontalFov() const {
    return 2 * toDegrees(std::atan(std::tan(toRadians(verticalFov) / 2) * aspect));
}

Mat4d viewMatrix(const Viewpoint& view) {
    const Vec3d forward = lookDirection(view.heading, view.pitch);
    const double h = toRadians(view.heading);
    const Vec3d right(std::cos(h), 0, std::sin(h));
    const Vec3d up = right.cross(forward);
    Mat4d m = Mat4d::Identity();
    m.block<1, 3>(0, 0) = right.transpose();
    m.block<1, 3>(1, 0) = up.transpose();
    m.block<1, 3>(2, 0) = -forward.transpose();
    m.topRightCorner<3, 1>() = -m.topLeftCorner<3, 3>() * view.eye;
    return m;
}

Mat4d projectionMatrix(const Projection& projection) {
    assert(projection.aspect > 0 && projection.nearPlane > 0);
    assert(projection.farPlane > projection.nearPlane);
    const double f = 1.0 / std::tan(toRadians(projection.verticalFov) / 2);
    const double depth = projection.nearPlane - projection.farPlane;
    Mat4d m = Mat4d::Zero();
    m(0, 0) = f / projection.aspect;
    m(1, 1) = f;
    m(2, 2) = (projection.farPlane + projection.nearPlane) / depth;
    m(2, 3) = 2 * projection.farPlane * projection.nearPlane / depth;
    m(3, 2) = -1;
    return m;
}

// Planes from the rows of the combined matrix: Gribb & Hartmann 2001.
Frustum::Frustum(const Viewpoint& view, const Projection& projection) {
    const Mat4d m = projectionMatrix(projection) * viewMatrix(view);
    for (std::size_t i = 0; i < planes_.size(); ++i) {
        const auto axis = static_cast<Eigen::Index>(i / 2);
        Vec4d plane = m.row(3) + (i % 2 == 0 ? 1 : -1) * m.row(axis);
        plane /= plane.head<3>().norm();
        for (Eigen::Index k = 0; k < 3; ++k) {
            planes_[i].normal[k] = plane[k];
            planes_[i].size[k] = std::fabs(plane[k]);
        }
        planes_[i].offset = plane.w();
    }
}

bool Frustum::meets(const Box& box) const {
    return !box.isEmpty() && meets(box.center(), 0.5 * box.sizes());
}

bool Frustum::meetsSphere(const Vec3d& centre, double radius) const {
    for (const Plane& plane : planes_)
        if (plane.signedDistance(centre) < -radius) return false;
    return true;
}

}  // namespace flentro
