// The order in which a mesh loses its vertices, kept, so that any triangle count between the
// first and the last can be had at once (Hoppe, "Progressive Meshes", SIGGRAPH 96, kept flat).

#pragma once

#include "geometry/mesh.h"
#include "simplify/error_metric.h"

namespace flentro {

class CollapseLog {
public:
    /// `mesh` must outlive it; of `wedges` only what names vertices is kept.
    CollapseLog(const Mesh& mesh, WedgeMesh wedges);

    /// Position `from` became `to`, which leaves `triangles`. `deviation`: metres, estimated.
    void add(std::uint32_t from, std::uint32_t to, std::span<const WedgeMerge> merges,
             std::size_t triangles, double deviation);
    /// All triangles of loose piece `piece` are gone, which leaves `triangles`.
    void addDrop(std::uint32_t piece, std::size_t triangles, double deviation);
    /// Which loose piece each position belongs to. [P] To be given before the first drop.
    void setPieces(std::vector<std::uint32_t> pieces) { pieces_ = std::move(pieces); }
    [[nodiscard]] std::uint32_t pieceOf(std::uint32_t position) const { return pieces_[position]; }
    /// The vertex just joined is a new one.
    void moved(const ErrorMetric& metric);

    [[nodiscard]] std::uint32_t positionOf(std::uint32_t wedge) const {
        return wedgePosition_[wedge];
    }
    [[nodiscard]] const std::vector<AttributeSlot>& attributeSlots() const { return slots_; }
    [[nodiscard]] std::uint32_t partOf(std::uint32_t wedge) const { return wedgePart_[wedge]; }
    /// Index in its part.
    [[nodiscard]] std::uint32_t vertexOf(std::uint32_t wedge) const { return wedgeVertex_[wedge]; }
    [[nodiscard]] std::size_t mostTriangles() const { return corners_.size() / 3; }
    [[nodiscard]] std::size_t fewestTriangles() const;

    // For the first state with no more than `triangles`, or the last there is.
    // Cost: O(T) of the original.

    [[nodiscard]] std::size_t trianglesAt(std::size_t triangles) const;
    [[nodiscard]] double deviationAt(std::size_t triangles) const;  ///< Metres, estimated.
    /// As indices into the vertices of the original's parts: only for collapses that did not
    /// move any. [parts][3T]
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> indicesAt(std::size_t triangles) const;
    /// Vertices that remain keep their order.
    [[nodiscard]] Mesh meshAt(std::size_t triangles) const;

private:
    static constexpr std::uint32_t kDrop = ~0U;
    struct Collapse {
        std::uint32_t from, to;    ///< Positions; of a drop kDrop and the piece.
        std::uint32_t firstMerge;  ///< In merges_.
        std::uint32_t triangles;   ///< Left after it.
        float deviation;           ///< Metres.
    };
    [[nodiscard]] std::size_t stepsTo(std::size_t triangles) const;
    /// Where the merges of a step begin; of the step after the last, where all end.
    [[nodiscard]] std::size_t firstMergeOf(std::size_t step) const {
        return step < collapses_.size() ? collapses_[step].firstMerge : merges_.size();
    }
    [[nodiscard]] std::vector<std::uint32_t> wedgesAfter(std::size_t steps) const;
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> cornersAfter(std::size_t steps) const;
    void moveVertices(std::size_t steps, std::size_t part, Part& into) const;

    const Mesh& mesh_;
    std::vector<std::uint32_t> corners_;
    std::vector<std::uint32_t> pieces_;  ///< [P]
    std::vector<std::uint32_t> wedgePosition_, wedgeVertex_, wedgePart_;
    std::vector<AttributeSlot> slots_;
    std::size_t attributeCount_ = 0;
    std::size_t positionCount_ = 0;
    Vec3d centre_;
    double unit_ = 1;
    std::vector<Collapse> collapses_;
    std::vector<WedgeMerge> merges_;
    std::vector<Vec3f> places_;      ///< [collapses] Units; only if vertices move.
    std::vector<float> attributes_;  ///< [merges * K] likewise.
};

}  // namespace flentro
