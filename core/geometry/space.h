// Space as the whole program sees it.
//
// Metres; Y up; right-handed; counter-clockwise front faces; column vectors, so that a point
// moves by p' = M p and M = parent * child. Heading 0 degrees looks along -Z (north), and
// turns clockwise seen from above: 90 degrees looks along +X (east). Pitch is positive upward.
//
// Example: an eye at (0, 1.7, 5) with heading 0 sees the origin straight ahead, 5 m away,
// 1.7 m below its line of sight.

#pragma once

#include <Eigen/Core>
#include <Eigen/Geometry>
#include <numbers>

namespace flentro {

using Vec2f = Eigen::Vector2f;
using Vec3f = Eigen::Vector3f;
using Vec4f = Eigen::Vector4f;
using Vec3d = Eigen::Vector3d;
using Vec4d = Eigen::Vector4d;
using Mat4d = Eigen::Matrix4d;
using Box = Eigen::AlignedBox3d;

inline constexpr double kPi = std::numbers::pi;

[[nodiscard]] inline double toRadians(double degrees) {
    return degrees * kPi / 180.0;
}
[[nodiscard]] inline double toDegrees(double radians) {
    return radians * 180.0 / kPi;
}

[[nodiscard]] inline Vec3d transformPoint(const Mat4d& m, const Vec3d& p) {
    // By its elements: written with blocks it costs each source file a fifth of a second.
    const auto row = [&](int r) {
        return m(r, 0) * p.x() + m(r, 1) * p.y() + m(r, 2) * p.z() + m(r, 3);
    };
    return {row(0), row(1), row(2)};
}

/// Bounds of the transformed box (Arvo 1990): tight for the box, not for what is inside.
[[nodiscard]] Box transformBox(const Mat4d& m, const Box& box);

/// Longest of the three transformed axes: how much a length can grow under `m`.
[[nodiscard]] double maxScale(const Mat4d& m);

/// Unit vector for heading and pitch in degrees.
[[nodiscard]] Vec3d lookDirection(double heading, double pitch);

/// True if every element is finite.
[[nodiscard]] bool isFinite(const Mat4d& m);

}  // namespace flentro
