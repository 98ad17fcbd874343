// Quadric error metrics (Garland & Heckbert 1997) and their extension to vertex attributes
// (Hoppe 1999). Symbols are the papers': A, b, c; g and d for an attribute's gradient.

#pragma once

#include <array>

#include "geometry/space.h"

namespace flentro {

/// Q(p) = p^T A p + 2 b^T p + c: a weighted sum of squared distances to planes.
struct Quadric {
    double a00 = 0, a01 = 0, a02 = 0, a11 = 0, a12 = 0, a22 = 0;
    double b0 = 0, b1 = 0, b2 = 0;
    double c = 0;
    double weight = 0;  ///< Sum of the planes' weights.

    /// Adds the plane through `p` with unit normal `n`.
    void addPlane(const Vec3d& n, const Vec3d& p, double w) {
        const double d = -n.dot(p);
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
        weight += w;
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
        weight += q.weight;
        return *this;
    }

    /// Never negative: rounding is clipped.
    [[nodiscard]] double error(const Vec3d& p) const {
        const double x = p.x(), y = p.y(), z = p.z();
        const double e = a00 * x * x + a11 * y * y + a22 * z * z +
                         2 * (a01 * x * y + a02 * x * z + a12 * y * z + b0 * x + b1 * y + b2 * z) +
                         c;
        return e > 0 ? e : 0;
    }
};

/// Most numbers of one vertex that the metric looks at: normal, texture coordinate, colour.
inline constexpr int kMaxAttributes = 8;

/// For each attribute s_k the squared difference to its linear interpolation g_k p + d_k,
/// summed over faces. The terms without s_k are gathered in one quadric over p.
struct AttributeQuadric {
    Quadric position;                     ///< Sum over k of (g_k p + d_k)^2.
    std::array<Vec3d, kMaxAttributes> g;  ///< Weighted sums of gradients.
    std::array<double, kMaxAttributes> d{};
    double weight = 0;

    AttributeQuadric() { g.fill(Vec3d::Zero()); }

    void addGradient(int k, const Vec3d& gradient, double offset, double w);
    AttributeQuadric& operator+=(const AttributeQuadric& q);

    /// Error at position `p` with attribute values `s` ([count]).
    [[nodiscard]] double error(const Vec3d& p, const double* s, int count) const;
};

inline void AttributeQuadric::addGradient(int k, const Vec3d& gradient, double offset, double w) {
    position.a00 += w * gradient.x() * gradient.x();
    position.a01 += w * gradient.x() * gradient.y();
    position.a02 += w * gradient.x() * gradient.z();
    position.a11 += w * gradient.y() * gradient.y();
    position.a12 += w * gradient.y() * gradient.z();
    position.a22 += w * gradient.z() * gradient.z();
    position.b0 += w * gradient.x() * offset;
    position.b1 += w * gradient.y() * offset;
    position.b2 += w * gradient.z() * offset;
    position.c += w * offset * offset;
    g[static_cast<std::size_t>(k)] += w * gradient;
    d[static_cast<std::size_t>(k)] += w * offset;
}

inline AttributeQuadric& AttributeQuadric::operator+=(const AttributeQuadric& q) {
    position += q.position;
    for (std::size_t k = 0; k < kMaxAttributes; ++k) {
        g[k] += q.g[k];
        d[k] += q.d[k];
    }
    weight += q.weight;
    return *this;
}

inline double AttributeQuadric::error(const Vec3d& p, const double* s, int count) const {
    const double x = p.x(), y = p.y(), z = p.z();
    const Quadric& q = position;
    double e =
        q.a00 * x * x + q.a11 * y * y + q.a22 * z * z +
        2 * (q.a01 * x * y + q.a02 * x * z + q.a12 * y * z + q.b0 * x + q.b1 * y + q.b2 * z) + q.c;
    for (int k = 0; k < count; ++k) {
        const auto i = static_cast<std::size_t>(k);
        e += s[k] * (s[k] * weight - 2 * (g[i].dot(p) + d[i]));
    }
    return e > 0 ? e : 0;
}

}  // namespace flentro
