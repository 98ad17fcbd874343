// The order in which a mesh loses its vertices, kept, so that any triangle count between the
// first and the last can be had at once (Hoppe, "Progressive Meshes", SIGGRAPH 96, kept flat).

#pragma once

#include <array>

#include "geometry/mesh.h"
#include "simplify/error_metric.h"

namespace flentro {

class CollapseLog {
public:
    /// `mesh` must outlive it; of `wedges` only what names vertices is kept.
    CollapseLog(const Mesh& mesh, WedgeMesh wedges);

    /// A position was joined with another, which took `triangles`. `deviation`: metres, estimated.
    void add(std::span<const WedgeMerge> merges, std::size_t triangles, double deviation);
    /// Loose piece `piece` went, which took all its `triangles`.
    void addDrop(std::uint32_t piece, std::size_t triangles, double deviation);
    /// Which loose piece each position belongs to. [P] To be given before the first drop.
    void setPieces(std::vector<std::uint32_t> pieces) { pieces_ = std::move(pieces); }
    [[nodiscard]] std::uint32_t pieceOf(std::uint32_t position) const { return pieces_[position]; }
    /// The vertex just joined is a new one.
    void moved(const ErrorMetric& metric);

    [[nodiscard]] const std::vector<AttributeSlot>& attributeSlots() const { return slots_; }
    [[nodiscard]] const WedgeNames& names() const { return names_; }
    [[nodiscard]] std::size_t positionCount() const { return positions_.count(); }
    [[nodiscard]] std::size_t mostTriangles() const { return mostTriangles_; }
    [[nodiscard]] std::size_t fewestTriangles() const { return triangles_; }

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
    /// A state on the way: what has come so far.
    struct State {
        std::size_t steps = 0;
        std::size_t merges = 0;
        std::size_t drops = 0;
        std::size_t triangles = 0;  ///< Left.
    };
    /// A step that is none of the collapses.
    struct Drop {
        std::size_t step;
        std::uint32_t piece;
        std::uint32_t triangles;
    };
    /// Goes on by one step.
    void advance(State& state) const;
    [[nodiscard]] State stateAt(std::size_t triangles) const;
    [[nodiscard]] std::vector<std::uint32_t> wedgesAfter(std::size_t merges) const;
    [[nodiscard]] std::vector<bool> droppedAfter(std::size_t drops) const;  ///< [pieces]
    [[nodiscard]] bool spans(const std::array<std::uint32_t, 3>& wedges) const;
    void moveVertices(const State& state, std::size_t part, Part& into) const;

    const Mesh& mesh_;
    WedgeNames names_;
    WedgePositions positions_;
    std::vector<std::uint32_t> pieces_;  ///< [P]
    std::vector<AttributeSlot> slots_;
    std::size_t attributeCount_ = 0;
    std::size_t mostTriangles_ = 0;
    std::size_t triangles_ = 0;  ///< Left now.
    Vec3d centre_;
    double unit_ = 1;
    // A few bytes a step, as there are nearly as many as vertices.
    std::vector<float> deviations_;          ///< [steps] Metres.
    std::vector<std::uint8_t> removed_;      ///< [steps] Triangles; 0 of drops.
    std::vector<std::uint8_t> mergeCounts_;  ///< [steps] Merges.
    std::vector<WedgeMerge> merges_;
    std::vector<Drop> drops_;
    std::vector<Vec3f> places_;      ///< [steps] Units; only if vertices move.
    std::vector<float> attributes_;  ///< [merges * K] likewise.
};

}  // namespace flentro
