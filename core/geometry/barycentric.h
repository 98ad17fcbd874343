// Barycentric weights of points in triangles.

#pragma once

#include "geometry/space.h"

namespace flentro {

/// Weights of the corners that make up the point, or the foot of its perpendicular on the plane of
/// the triangle; their sum is 1. All of the first corner where the triangle has no area.
/// `Vector`: Vec3f or Vec3d.
template <typename Vector>
[[nodiscard]] Vector barycentric(const Vector& a, const Vector& b, const Vector& c,
                                 const Vector& point) {
    const Vector u = b - a;
    const Vector v = c - a;
    const Vector across = u.cross(v);
    const auto size = across.squaredNorm();
    if (!(size > 0)) return Vector::UnitX();
    const auto inB = (point - a).cross(v).dot(across) / size;
    const auto inC = u.cross(point - a).dot(across) / size;
    return {1 - inB - inC, inB, inC};
}

}  // namespace flentro
