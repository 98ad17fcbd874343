#include "geometry/frustum.h"

namespace flentro {

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

Mat4d projectionMatrix(const Lens& lens) {
    const double f = 1.0 / std::tan(toRadians(lens.verticalFov) / 2);
    const double depth = lens.nearPlane - lens.farPlane;
    Mat4d m = Mat4d::Zero();
    m(0, 0) = f / lens.aspect;
    m(1, 1) = f;
    m(2, 2) = (lens.farPlane + lens.nearPlane) / depth;
    m(2, 3) = 2 * lens.farPlane * lens.nearPlane / depth;
    m(3, 2) = -1;
    return m;
}

// Planes from the rows of the combined matrix: Gribb & Hartmann 2001.
Frustum::Frustum(const Viewpoint& view, const Lens& lens) {
    const Mat4d m = projectionMatrix(lens) * viewMatrix(view);
    for (int axis = 0; axis < 3; ++axis) {
        planes_[2 * axis] = m.row(3) + m.row(axis);
        planes_[2 * axis + 1] = m.row(3) - m.row(axis);
    }
    for (Vec4d& plane : planes_) plane /= plane.head<3>().norm();
}

bool Frustum::meets(const Box& box) const {
    if (box.isEmpty()) return false;
    const Vec3d centre = box.center();
    const Vec3d half = box.sizes() * 0.5;
    for (const Vec4d& plane : planes_) {
        const double reach = half.dot(plane.head<3>().cwiseAbs());
        if (plane.head<3>().dot(centre) + plane.w() < -reach) return false;
    }
    return true;
}

bool Frustum::meetsSphere(const Vec3d& centre, double radius) const {
    for (const Vec4d& plane : planes_)
        if (plane.head<3>().dot(centre) + plane.w() < -radius) return false;
    return true;
}

}  // namespace flentro
