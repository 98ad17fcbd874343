// Quadric error metrics (Garland & Heckbert 1997). Symbols are the paper's: A, b, c.

#pragma once

#include "geometry/space.h"

namespace flentro {

/// Q(x) = x^T A x + 2 b^T x + c: a weighted sum of squared distances to planes.
///
/// x is relative to an origin near by that the owner keeps: single precision then loses nothing
/// that matters, however large the model is, and c starts at 0 for planes through the origin.
struct Quadric {
    float a00 = 0, a01 = 0, a02 = 0, a11 = 0, a12 = 0, a22 = 0;
    float b0 = 0, b1 = 0, b2 = 0;
    float c = 0;

    /// Adds w (n x + d)^2.
    void addPlane(const Vec3f& n, float d, float w) {
        a00 += w * n.x() * n.x();
        a01 += w * n.x() * n.y();
        a02 += w * n.x() * n.z();
        a11 += w * n.y() * n.y();
        a12 += w * n.y() * n.z();
        a22 += w * n.z() * n.z();
        b0 += w * n.x() * d;
        b1 += w * n.y() * d;
        b2 += w * n.z() * d;
        c += w * d * d;
    }

    Quadric& operator+=(const Quadric& q) {
        a00 += q.a00;
        a01 += q.a01;
        a02 += q.a02;
        a11 += q.a11;
        a12 += q.a12;
        a22 += q.a22;
        b0 += q.b0;
        b1 += q.b1;
        b2 += q.b2;
        c += q.c;
        return *this;
    }

    /// The same function with its origin moved to `o`.
    void moveOrigin(const Vec3f& o) {
        const float x = a00 * o.x() + a01 * o.y() + a02 * o.z();
        const float y = a01 * o.x() + a11 * o.y() + a12 * o.z();
        const float z = a02 * o.x() + a12 * o.y() + a22 * o.z();
        c += x * o.x() + y * o.y() + z * o.z() + 2 * (b0 * o.x() + b1 * o.y() + b2 * o.z());
        b0 += x;
        b1 += y;
        b2 += z;
    }

    /// Never negative: rounding is clipped.
    [[nodiscard]] float at(const Vec3f& p) const {
        const float x = p.x(), y = p.y(), z = p.z();
        const float e = a00 * x * x + a11 * y * y + a22 * z * z +
                        2 * (a01 * x * y + a02 * x * z + a12 * y * z + b0 * x + b1 * y + b2 * z) +
                        c;
        return e > 0 ? e : 0;
    }

    /// Where it is least, drawn towards `near` as far as it is flat there: `pull` is a share of
    /// the trace of A.
    [[nodiscard]] Vec3f minimum(const Vec3f& near, double pull) const;
};

}  // namespace flentro
