#include "simplify/quadric.h"

namespace flentro {

/// Solves (A + h I) x = h near - b by its cofactors; h keeps the matrix regular.
Vec3f Quadric::minimum(const Vec3f& near, double pull) const {
    const double trace =
        static_cast<double>(a00) + static_cast<double>(a11) + static_cast<double>(a22);
    const double h = pull * trace;
    if (!(h > 0)) return near;
    const double m00 = static_cast<double>(a00) + h;
    const double m11 = static_cast<double>(a11) + h;
    const double m22 = static_cast<double>(a22) + h;
    const auto m01 = static_cast<double>(a01);
    const auto m02 = static_cast<double>(a02);
    const auto m12 = static_cast<double>(a12);
    const double r0 = h * static_cast<double>(near.x()) - static_cast<double>(b0);
    const double r1 = h * static_cast<double>(near.y()) - static_cast<double>(b1);
    const double r2 = h * static_cast<double>(near.z()) - static_cast<double>(b2);
    const double k00 = m11 * m22 - m12 * m12;
    const double k01 = m02 * m12 - m01 * m22;
    const double k02 = m01 * m12 - m02 * m11;
    const double k11 = m00 * m22 - m02 * m02;
    const double k12 = m01 * m02 - m00 * m12;
    const double k22 = m00 * m11 - m01 * m01;
    const double determinant = m00 * k00 + m01 * k01 + m02 * k02;
    if (!(determinant > 0)) return near;
    const double scale = 1 / determinant;
    return {static_cast<float>(scale * (k00 * r0 + k01 * r1 + k02 * r2)),
            static_cast<float>(scale * (k01 * r0 + k11 * r1 + k12 * r2)),
            static_cast<float>(scale * (k02 * r0 + k12 * r1 + k22 * r2))};
}

}  // namespace flentro
