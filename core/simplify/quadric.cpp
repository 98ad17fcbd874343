#include "simplify/quadric.h"

namespace flentro {

/// Solves (A + h I) x = h near - b by its cofactors; h keeps the matrix regular.
Vec3f Quadric::minimum(const Vec3f& near, double pull) const {
    const Eigen::Matrix<double, 9, 1> q = form_.cast<double>();
    const double h = pull * (q[0] + q[3] + q[5]);
    if (!(h > 0)) return near;
    const double m00 = q[0] + h;
    const double m11 = q[3] + h;
    const double m22 = q[5] + h;
    const double m01 = q[1];
    const double m02 = q[2];
    const double m12 = q[4];
    const Vec3d r = h * near.cast<double>() - q.tail<3>();
    const double k00 = m11 * m22 - m12 * m12;
    const double k01 = m02 * m12 - m01 * m22;
    const double k02 = m01 * m12 - m02 * m11;
    const double k11 = m00 * m22 - m02 * m02;
    const double k12 = m01 * m02 - m00 * m12;
    const double k22 = m00 * m11 - m01 * m01;
    const double determinant = m00 * k00 + m01 * k01 + m02 * k02;
    if (!(determinant > 0)) return near;
    const Vec3d scaled = r / determinant;
    return Vec3d(scaled.dot(Vec3d(k00, k01, k02)), scaled.dot(Vec3d(k01, k11, k12)),
                 scaled.dot(Vec3d(k02, k12, k22)))
        .cast<float>();
}

}  // namespace flentro
