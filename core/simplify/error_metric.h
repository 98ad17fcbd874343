// What an edge collapse costs, and where the joined vertex goes: quadrics for the surface and
// its attributes.
//
// M. Garland, P. Heckbert, "Surface Simplification Using Quadric Error Metrics", SIGGRAPH 97;
// H. Hoppe, "New Quadric Metric for Simplifying Meshes with Appearance Attributes",
// Visualization 99. For a given place the best attributes follow in closed form, so that what is
// minimised remains a quadric over the place alone (the Schur complement of Hoppe's matrix).

#pragma once

#include <cstring>
#include <limits>
#include <span>

#include "simplify/quadric.h"
#include "simplify/wedges.h"

namespace flentro {

/// Faces with a smaller area, in squared units, have no direction.
inline constexpr float kFlatArea = 1e-14F;

/// A wedge that becomes one with another.
struct WedgeMerge {
    std::uint32_t from = 0;
    std::uint32_t to = 0;
};

/// Everything in the units of a WedgeMesh. Places and attributes change as vertices are joined.
class ErrorMetric {
public:
    /// `importance` [W]: weight of the surface around each wedge, > 0; empty: 1 everywhere.
    ErrorMetric(const WedgeMesh& mesh, std::span<const float> importance);

    /// Holds an edge by the plane through it at right angles to a face with that normal.
    void holdEdge(std::uint32_t a, std::uint32_t b, const Vec3f& normal, float weight);

    struct Joined {
        float cost = 0;
        float distance = 0;            ///< Root mean square to the surface's planes, units.
        Vec3f offset = Vec3f::Zero();  ///< Of the joined vertex from the place of `to`.
    };
    /// Position `from` goes to where `to` is, its wedges become those they are merged with. What
    /// costs `limit` or more is not looked at any closer.
    [[nodiscard]] Joined onto(std::uint32_t from, std::uint32_t to,
                              std::span<const WedgeMerge> merges,
                              float limit = std::numeric_limits<float>::infinity()) const;
    /// Both go to the best place with the best attributes. `merges` must pair all their wedges.
    [[nodiscard]] Joined together(std::uint32_t from, std::uint32_t to,
                                  std::span<const WedgeMerge> merges) const;

    /// Carries it out: `to` moves by `offset`; with `fit` the attributes of the merged wedges
    /// become the best for that place, else those of the wedges merged into stay.
    void join(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
              const Vec3f& offset, bool fit);

    [[nodiscard]] const Vec3f& place(std::uint32_t position) const {
        return vertices_[position].place;
    }
    [[nodiscard]] std::span<const float> attributes(std::uint32_t wedge) const {
        return {blockOf(wedge) + kHead + count_ * kSum, count_};
    }
    /// Squared difference of two wedges' attributes.
    [[nodiscard]] float difference(std::uint32_t a, std::uint32_t b) const;

private:
    struct Vertex {
        Vec3f place;
        Quadric surface;  ///< Relative to the place.
        float weight = 0;
    };
    /// Of one wedge, relative to its place and attributes: Q = sum of w (g_k x + d_k)^2.
    struct Gradients {
        Quadric square;
        float weight = 0;
    };
    // What is asked for together lies together: a wedge's block holds its Gradients, for each
    // attribute the sums of w g (3) and w d, and the attributes.
    static constexpr std::size_t kHead = sizeof(Gradients) / sizeof(float);
    static constexpr std::size_t kSum = 4;

    void addFace(const WedgeMesh& mesh, std::size_t triangle, std::span<const float> importance);
    void addGradients(const WedgeMesh& mesh, std::size_t triangle, const Vec3f& normal,
                      float weight);
    [[nodiscard]] const float* blockOf(std::uint32_t wedge) const {
        return blocks_.data() + std::size_t{wedge} * stride_;
    }
    [[nodiscard]] float* blockOf(std::uint32_t wedge) {
        return blocks_.data() + std::size_t{wedge} * stride_;
    }
    [[nodiscard]] Gradients headOf(std::uint32_t wedge) const {
        Gradients head;
        std::memcpy(static_cast<void*>(&head), blockOf(wedge), sizeof head);
        return head;
    }
    void setHead(std::uint32_t wedge, const Gradients& head) {
        std::memcpy(blockOf(wedge), static_cast<const void*>(&head), sizeof head);
    }
    [[nodiscard]] Quadric surface(std::uint32_t from, std::uint32_t to) const;
    [[nodiscard]] float differenceAt(const WedgeMerge& merge, const Vec3f& shift) const;
    [[nodiscard]] Gradients paired(const WedgeMerge& merge, const Vec3f& shift, float* sum) const;

    std::size_t count_ = 0;         ///< K
    std::size_t stride_ = 0;        ///< Numbers in a block.
    std::vector<Vertex> vertices_;  ///< [P]
    std::vector<float> blocks_;     ///< [W], none without attributes.
};

}  // namespace flentro
