// What an edge collapse costs, and where the joined vertex goes: quadrics for the surface and
// its attributes.
//
// M. Garland, P. Heckbert, "Surface Simplification Using Quadric Error Metrics", SIGGRAPH 97;
// H. Hoppe, "New Quadric Metric for Simplifying Meshes with Appearance Attributes",
// Visualization 99. For a given position the best attributes follow in closed form, so that what is
// minimised remains a quadric over the position alone (the Schur complement of Hoppe's matrix).

#pragma once

#include <array>
#include <cmath>
#include <span>

#include "simplify/fans.h"
#include "simplify/quadric.h"

namespace flentro {

/// A wedge that becomes one with another.
struct WedgeMerge {
    std::uint32_t from = 0;
    std::uint32_t to = 0;
};

/// Everything in the units of a WedgeMesh. Positions and attributes change as vertices are joined.
class ErrorMetric {
public:
    /// Takes the attributes out of the mesh. `importance` [W]: weight of the surface around each
    /// wedge, > 0; empty: 1 everywhere.
    ErrorMetric(WedgeMesh& mesh, const Fans& fans, std::span<const float> importance);

    /// Holds an edge by the plane through it at right angles to a face with that normal.
    void addBoundaryConstraint(std::uint32_t a, std::uint32_t b, const Vec3f& normal, float weight);

    struct Joined {
        float cost = 0;
        float error = 0;               ///< Of the surface alone.
        float weight = 0;              ///< Of the surface.
        Vec3f offset = Vec3f::Zero();  ///< Of the joined vertex from the position of `to`.

        /// Root mean square to the surface's planes, units.
        [[nodiscard]] float distance() const { return weight > 0 ? std::sqrt(error / weight) : 0; }
    };
    /// Vertex `from` goes to where `to` is, its wedges become those they are merged with.
    [[nodiscard]] Joined onto(std::uint32_t from, std::uint32_t to,
                              std::span<const WedgeMerge> merges) const;
    /// The cost of that where both have one wedge, or `limit` or more.
    [[nodiscard, gnu::always_inline]] float costOnto(std::uint32_t from, std::uint32_t to,
                                                     float limit) const {
        const Vec3f shift = position(to) - position(from);
        const float cost = surfaceCost(from, to, shift);
        return count_ == 0 || cost >= limit ? cost : cost + differenceAt(from, to, shift);
    }
    /// What it costs for the surface alone: no more than all of it.
    [[nodiscard]] float least(std::uint32_t from, std::uint32_t to) const {
        return surfaceCost(from, to, position(to) - position(from));
    }
    /// What any move onto it costs at the least.
    [[nodiscard]] float leastOnto(std::uint32_t to) const { return vertices_[to].c; }
    /// Both go to the best position with the best attributes. `merges` must pair all their wedges.
    [[nodiscard]] Joined together(std::uint32_t from, std::uint32_t to,
                                  std::span<const WedgeMerge> merges) const;

    /// Carries it out. With `fit` `to` moves by `offset`, and the attributes of the merged wedges
    /// become the best for that position; else all of `to` stays.
    void join(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
              const Vec3f& offset, bool fit);

    void renumber(const RemapTable& numbers);

    [[nodiscard]] const Vec3f& position(std::uint32_t vertex) const {
        return vertices_[vertex].position;
    }
    [[nodiscard]] std::span<const float> attributes(std::uint32_t wedge) const {
        return {attributesOf(wedge), count_};
    }
    /// Squared difference of two wedges' attributes.
    [[nodiscard]] float difference(std::uint32_t a, std::uint32_t b) const;

private:
    // What is asked of the vertex that is moved onto lies apart from what is asked of the one that
    // moves: of each of the former there are six.
    struct Vertex {
        Vec3f position;
        float c = 0;  ///< Of its surface's quadric.
    };
    struct Weighted {
        Quadric::Form form = Quadric::Form::Zero();
        float weight = 0;

        void add(const Quadric::Square& square, float by) {
            Quadric::add(form, square);
            weight += by;
        }
    };
    /// Of one attribute: the sums of w g and w d.
    using Sum = Eigen::Matrix<float, 4, 1, Eigen::DontAlign>;
    /// Of one wedge, relative to its position and attributes: Q = sum of w (g_k x + d_k)^2.
    struct Gradients {
        Quadric square;
        float weight = 0;
        std::array<Sum, kMaxAttributes> sums;
    };

    void addFace(const Fans& fans, Corner first, std::span<const float> importance);
    void addGradients(const std::array<std::uint32_t, 3>& wedges, const Vec3f& edge1,
                      const Vec3f& edge2, const Vec3f& normal, float weight);
    [[nodiscard]] Quadric surfaceOf(std::uint32_t vertex) const {
        return {surfaces_[vertex].form, vertices_[vertex].c};
    }
    [[nodiscard]] Quadric squareOf(std::uint32_t wedge) const {
        return {gradients_[wedge].form, attributesOf(wedge)[count_]};
    }
    [[nodiscard]] const float* attributesOf(std::uint32_t wedge) const {
        return attributes_.data() + wedge * (count_ + 1);
    }
    [[nodiscard]] float* attributesOf(std::uint32_t wedge) {
        return attributes_.data() + wedge * (count_ + 1);
    }
    [[nodiscard]] Quadric surface(std::uint32_t from, std::uint32_t to) const;
    [[nodiscard]] float errorAt(std::uint32_t from, std::uint32_t to, const Vec3f& shift) const {
        const float error = Quadric::formAt(surfaces_[from].form, shift) + vertices_[from].c;
        return std::max(error, 0.0F) + std::max(vertices_[to].c, 0.0F);
    }
    [[nodiscard]] float surfaceCost(std::uint32_t from, std::uint32_t to,
                                    const Vec3f& shift) const {
        return errorAt(from, to, shift) + kLengthWeight * shift.squaredNorm();
    }
    [[nodiscard]] float differenceAt(std::uint32_t from, std::uint32_t to,
                                     const Vec3f& shift) const;
    void fitAttributes(Gradients& both, const Vec3f& offset, float* values) const;
    void pair(const WedgeMerge& merge, const Vec3f& shift, Gradients& both) const;

    /// Keeps collapses on flat surfaces in an order that leaves well-shaped triangles.
    static constexpr float kLengthWeight = 1e-9F;

    std::size_t count_ = 0;            ///< K
    std::vector<Vertex> vertices_;     ///< [V]
    std::vector<Weighted> surfaces_;   ///< [V] Relative to the position.
    std::vector<Weighted> gradients_;  ///< [W], none without attributes.
    std::vector<Sum> sums_;            ///< [W * K]
    std::vector<float> attributes_;    ///< [W * (K + 1)] and c of the gradients' square.
};

/// What the square of both gradients would be at the position and attributes of `to`. Always
/// inline, as it is asked of all neighbours of one vertex in turn.
[[gnu::always_inline]] inline float ErrorMetric::differenceAt(std::uint32_t from, std::uint32_t to,
                                                              const Vec3f& shift) const {
    const Weighted& gradients = gradients_[from];
    const Sum* sums = sums_.data() + from * count_;
    const float* s = attributesOf(from);
    const float* t = attributesOf(to);
    Eigen::Vector4f linear = Eigen::Vector4f::Zero();
    float squares = 0;
    for (std::size_t k = 0; k < count_; ++k) {
        const float by = t[k] - s[k];
        linear += by * sums[k];
        squares += by * by;
    }
    const float difference =
        Quadric::formAt(gradients.form, shift) + gradients.weight * squares -
        2 * ((linear[0] * shift.x() + linear[1] * shift.y()) + (linear[2] * shift.z() + linear[3]));
    return std::max(difference + s[count_] + t[count_], 0.0F);
}

}  // namespace flentro
