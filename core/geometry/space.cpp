#include "geometry/space.h"

namespace flentro {

Box transformBox(const Mat4d& m, const Box& box) {
    if (box.isEmpty()) return box;
    const Vec3d centre = transformPoint(m, box.center());
    const Vec3d half = m.topLeftCorner<3, 3>().cwiseAbs() * (box.sizes() * 0.5);
    return {centre - half, centre + half};
}

double maxScale(const Mat4d& m) {
    return m.topLeftCorner<3, 3>().colwise().norm().maxCoeff();
}

Vec3d lookDirection(double heading, double pitch) {
    const double h = toRadians(heading);
    const double p = toRadians(pitch);
    return {std::sin(h) * std::cos(p), std::sin(p), -std::cos(h) * std::cos(p)};
}

bool isFinite(const Mat4d& m) {
    return m.allFinite();
}

}  // namespace flentro
