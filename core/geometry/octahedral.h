// Directions as points of a square: the octahedron |x| + |y| + |z| = 1 unfolded.
//
// Z. Cigolle et al., "A Survey of Efficient Representations for Independent Unit Vectors",
// Journal of Computer Graphics Techniques 3(2), 2014.

#pragma once

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "geometry/space.h"

namespace flentro {

/// A direction in four bytes, to about a hundredth of a degree; or none.
class PackedDirection {
public:
    PackedDirection() = default;
    /// `direction` of any length > 0.
    explicit PackedDirection(const Vec3f& direction) {
        const Vec3f d = direction / direction.cwiseAbs().sum();
        const bool below = d.z() < 0;
        u_ = pack(below ? std::copysign(1 - std::fabs(d.y()), d.x()) : d.x());
        v_ = pack(below ? std::copysign(1 - std::fabs(d.x()), d.y()) : d.y());
    }
    /// Between 0.57 and 1 long; zero if there is none.
    [[nodiscard]] Vec3f unpacked() const {
        if (u_ == kNone) return Vec3f::Zero();
        const float u = static_cast<float>(u_) * (1 / kMax);
        const float v = static_cast<float>(v_) * (1 / kMax);
        const float z = 1 - std::fabs(u) - std::fabs(v);
        const float fold = std::max(-z, 0.0F);
        return {u - std::copysign(fold, u), v - std::copysign(fold, v), z};
    }

private:
    static constexpr float kMax = 32767;
    static constexpr std::int16_t kNone = -32768;
    static std::int16_t pack(float value) {
        return static_cast<std::int16_t>(std::lround(kMax * value));
    }
    std::int16_t u_ = kNone;
    std::int16_t v_ = 0;
};

}  // namespace flentro
