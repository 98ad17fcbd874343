// Edge collapse by quadric error, one step after another.
//
// After M. Garland, P. Heckbert, "Surface Simplification Using Quadric Error Metrics",
// SIGGRAPH 97, with H. Hoppe, "New Quadric Metric for Simplifying Meshes with Appearance
// Attributes", Visualization 99, and the link condition of T. Dey et al. 1999. We collapse a
// vertex onto a neighbour (half-edge collapse) instead of to the optimal point: all attributes,
// skin weights and morph targets stay exactly those of a vertex that the artist made.

#pragma once

#include "base/progress.h"
#include "simplify/adjacency.h"
#include "simplify/collapse_queue.h"
#include "simplify/wedges.h"

namespace flentro {

struct ReducerOptions {
    AttributeWeights weights;
    bool lockBorders = false;  ///< Keeps vertices of open borders where they are.
};

/// Reduces one mesh further and further; every state on the way can be taken out as a mesh.
/// What never moves: vertices of non-manifold edges, and seam or material corners.
class Reducer {
public:
    /// `mesh` must outlive the reducer. Cost: O(T log T).
    Reducer(const Mesh& mesh, const ReducerOptions& options);

    /// Collapses until at most `triangles` are left, or every further collapse would move the
    /// surface by more than `maxDeviation` metres (estimated), or none is possible.
    /// Returns false if cancelled. Cost: O(log V) a collapse.
    bool reduceTo(std::size_t triangles, double maxDeviation, Progress& progress);

    [[nodiscard]] std::size_t triangleCount() const { return alive_; }

    /// Root mean square distance to the planes of the original, worst vertex, metres: an
    /// estimate that grows with every collapse. measureDeviation() measures.
    [[nodiscard]] double estimatedDeviation() const { return deviation_ * wedges_.unit; }

    /// The present state; vertices that remain keep their order.
    [[nodiscard]] Mesh mesh() const;

    /// The present state as indices into the vertices of the original's parts. [parts][3T]
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> indices() const;

private:
    struct Candidate {
        std::uint32_t target = kNone;
        double cost = 0;
    };
    struct WedgeMove {
        std::uint32_t from, to;
    };

    void buildQuadrics();
    void addBorderQuadrics(const std::vector<Edge>& edges);
    void addEdgePlane(const Edge& edge, double weight);
    void addAttributeQuadrics(std::uint32_t triangle);
    [[nodiscard]] bool isSeam(const Edge& edge) const;

    void requeue(std::uint32_t u);
    [[nodiscard]] Candidate bestTarget(std::uint32_t u);
    [[nodiscard]] double distance(std::uint32_t u, std::uint32_t v) const;
    [[nodiscard]] double costOf(std::uint32_t u, std::uint32_t v) const;
    [[nodiscard]] bool findMoves(std::uint32_t u, std::uint32_t v);
    [[nodiscard]] bool isAllowed(std::uint32_t u, std::uint32_t v);
    [[nodiscard]] bool keepsTopology(std::uint32_t u, std::uint32_t v);
    [[nodiscard]] bool keepsFacing(std::uint32_t u, std::uint32_t v) const;
    void collapse(std::uint32_t u, std::uint32_t v);
    void neighbours(const std::vector<std::uint32_t>& corners, std::uint32_t centre,
                    std::vector<std::uint32_t>& out);
    [[nodiscard]] Vec3d faceNormal(std::uint32_t triangle) const;

    const Mesh& mesh_;
    WedgeMesh wedges_;
    std::vector<std::uint32_t> corners_;  ///< [3T] wedges, as collapsed so far.
    Adjacency adjacency_;
    CollapseQueue queue_;
    std::vector<Quadric> quadrics_;                    ///< [P]
    std::vector<AttributeQuadric> attributeQuadrics_;  ///< [W]
    std::vector<Vec3f> facing_;                        ///< [T] unit normals of the original.
    std::vector<std::uint32_t> target_;                ///< [P] best neighbour.
    std::vector<bool> locked_;                         ///< [P]
    std::vector<bool> border_;                         ///< [P]
    std::size_t alive_ = 0;
    double deviation_ = 0;
    double limit_ = 0;

    // Scratch space of one evaluation.
    std::vector<std::uint32_t> ring_, otherRing_, around_, aroundOther_;
    std::vector<WedgeMove> moves_;
    std::vector<std::uint32_t> mark_;
    std::uint32_t stamp_ = 0;
};

}  // namespace flentro
