// Quadric error metrics (Garland & Heckbert 1997). Symbols are the paper's: A, b, c.

#pragma once

#include "geometry/space.h"

namespace flentro {

/// Q(x) = x^T A x + 2 b^T x + c: a weighted sum of squared distances to planes.
///
/// x is relative to an origin near by that the owner keeps: single precision then loses nothing
/// that matters, however large the model is, and c starts at 0 for planes through the origin.
class Quadric {
public:
    /// A row by row, then b.
    using Form = Eigen::Matrix<float, 9, 1>;
    /// Q(x) - c. Sums in an order that leaves the processor most to do at a time.
    [[nodiscard]] static float formAt(const Form& q, const Vec3f& x) {
        return x.x() * (q[0] * x.x() + 2 * ((q[1] * x.y() + q[2] * x.z()) + q[6])) +
               (x.y() * (q[3] * x.y() + 2 * (q[4] * x.z() + q[7])) +
                x.z() * (q[5] * x.z() + 2 * q[8]));
    }

    Quadric() : form_(Form::Zero()) {}
    Quadric(const Form& form, float c) : form_(form), c_(c) {}
    [[nodiscard]] const Form& form() const { return form_; }
    [[nodiscard]] float c() const { return c_; }

    /// A of w (n x)^2, and zeros, so that all are added at once.
    using Square = Eigen::Matrix<float, 8, 1, Eigen::DontAlign>;
    [[nodiscard]] static Square squareOf(const Vec3f& n, float w) {
        const float x = w * n.x(), y = w * n.y(), z = w * n.z();
        return Square{x * n.x(), x * n.y(), x * n.z(), y * n.y(), y * n.z(), z * n.z(), 0, 0};
    }
    static void add(Form& form, const Square& square) { form.head<8>() += square; }
    /// Adds w (n x + d)^2.
    void addPlane(const Vec3f& n, float d, float w) {
        add(form_, squareOf(n, w));
        addLinear(n, d, w * d);
    }
    /// Adds f (2 n x + d).
    void addLinear(const Vec3f& n, float d, float f) {
        form_.tail<3>() += f * n;
        c_ += f * d;
    }
    Quadric& operator+=(const Quadric& other) {
        form_ += other.form_;
        c_ += other.c_;
        return *this;
    }

    /// The same function with its origin moved to `o`.
    void moveOrigin(const Vec3f& o) {
        const Vec3f moved(form_[0] * o.x() + form_[1] * o.y() + form_[2] * o.z(),
                          form_[1] * o.x() + form_[3] * o.y() + form_[4] * o.z(),
                          form_[2] * o.x() + form_[4] * o.y() + form_[5] * o.z());
        c_ += o.dot(moved + 2 * form_.tail<3>());
        form_.tail<3>() += moved;
    }

    /// Never negative: rounding is clipped.
    [[nodiscard]] float at(const Vec3f& x) const { return std::max(formAt(form_, x) + c_, 0.0F); }

    /// Where it is least, drawn towards `near` as far as it is flat there: `pull` is a share of
    /// the trace of A.
    [[nodiscard]] Vec3f minimum(const Vec3f& near, double pull) const;

private:
    Form form_;
    float c_ = 0;
};

}  // namespace flentro
