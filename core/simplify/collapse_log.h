// The order in which a mesh loses its vertices, kept, so that any triangle count between the
// first and the last can be had at once (Hoppe, "Progressive Meshes", SIGGRAPH 96, kept flat).

#pragma once

#include <array>
#include <optional>

#include "geometry/mesh.h"
#include "simplify/cost_key.h"
#include "simplify/error_metric.h"

namespace flentro {

/// One vertex was joined with another.
struct CollapseStep {
    std::span<const WedgeMerge> merges;
    std::size_t triangles = 0;          ///< That it took.
    float deviation = 0;                ///< Metres, estimated; kept to a 256th of it.
    std::optional<Vec3f> position;      ///< Units; if the joined vertex is a new one.
    std::span<const float> attributes;  ///< [merges * K] Its wedges' then.
};

/// Collapses in their order: a few bytes each, as there are nearly as many as vertices.
class CollapseSteps {
public:
    /// A step, and where its merges begin.
    struct Cursor {
        std::size_t step = 0;
        std::size_t merge = 0;
    };

    explicit CollapseSteps(std::size_t attributeCount) : attributeCount_(attributeCount) {}
    void reserve(std::size_t steps, std::size_t merges);
    void add(const CollapseStep& step);

    [[nodiscard]] std::size_t size() const { return deviations_.size(); }
    [[nodiscard]] CollapseStep at(const Cursor& cursor) const;
    [[nodiscard]] std::size_t trianglesOf(std::size_t step) const { return counts_[step] >> 4U; }
    [[nodiscard]] std::size_t mergesOf(std::size_t step) const { return counts_[step] & 15U; }
    [[nodiscard]] float deviationOf(std::size_t step) const {
        return valueOfFileKey(deviations_[step]);
    }
    [[nodiscard]] const WedgeMerge& mergeAt(std::size_t merge) const { return merges_[merge]; }
    [[nodiscard]] bool moves() const { return !positions_.empty(); }
    void advance(Cursor& cursor) const { cursor.merge += mergesOf(cursor.step++); }

private:
    std::size_t attributeCount_;             ///< K
    std::vector<std::uint16_t> deviations_;  ///< [steps] File keys.
    std::vector<std::uint8_t> counts_;       ///< [steps] 16 triangles + merges.
    std::vector<WedgeMerge> merges_;
    std::vector<Vec3f> positions_;   ///< [steps] NaN where it is none; up to the last new one.
    std::vector<float> attributes_;  ///< [merges * K] likewise.
};

/// What was collapsed in one part of a mesh. Each step is filed under a key (bucketKey) no less
/// than those of the steps before that it depends on.
struct CollapseBatch {
    explicit CollapseBatch(std::size_t attributeCount) : steps(attributeCount) {}
    CollapseSteps steps;
    std::vector<std::uint16_t> keys;  ///< [steps]
    std::size_t triangles = 0;        ///< That all of them took.

    void reserve(std::size_t count);  ///< Of steps.
    void add(const CollapseStep& step, std::uint16_t key);
};

/// One state of many.
struct CurvePoint {
    std::size_t triangles = 0;
    double deviation = 0;  ///< Metres, estimated.
};

class CollapseLog {
public:
    /// `mesh` must outlive it; of `wedges` only what names vertices is kept.
    CollapseLog(const Mesh& mesh, WedgeMesh wedges);

    /// Adds what was collapsed by costs to a thirtieth. Batches `sideBySide` have no triangle in
    /// common: among equal costs they take turns. Steps of the one `after` may depend on any of
    /// theirs.
    void add(std::span<const CollapseBatch> sideBySide, const CollapseBatch& after);
    /// Loose piece `piece` went, which took all its `triangles`.
    void addDrop(std::uint32_t piece, std::size_t triangles, float deviation);
    /// To be called before the first collapse: wedges may part from the triangles that vanished
    /// with them, and which triangles are left is asked of vertices.
    void beginCrossing() { crosses_ = true; }
    /// Which loose piece each vertex belongs to. [V] To be given before the first drop.
    void setPieces(std::vector<std::uint32_t> pieces) { pieces_ = std::move(pieces); }
    [[nodiscard]] std::uint32_t pieceOf(std::uint32_t vertex) const { return pieces_[vertex]; }

    [[nodiscard]] std::size_t attributeCount() const { return attributeCount_; }
    [[nodiscard]] const std::vector<AttributeSlot>& attributeSlots() const { return slots_; }
    [[nodiscard]] const OriginalIndices& names() const { return names_; }
    [[nodiscard]] std::size_t vertexCount() const { return vertices_.count(); }
    [[nodiscard]] std::size_t mostTriangles() const { return mostTriangles_; }
    [[nodiscard]] std::size_t fewestTriangles() const { return triangles_; }

    [[nodiscard]] double lastDeviation() const {  ///< Metres, estimated.
        return steps_.size() == 0 ? 0 : static_cast<double>(steps_.deviationOf(steps_.size() - 1));
    }

    // For the first state with no more than `triangles`, or the last there is.
    // Cost: O(T) of the original.

    /// Enough of the states to draw how deviation grows: from the whole mesh to the last, each
    /// with a fiftieth fewer triangles than the one before at the most, where there is one. Neither
    /// number falls back.
    [[nodiscard]] std::vector<CurvePoint> curve() const;
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
        CollapseSteps::Cursor at;
        std::size_t drops = 0;
        std::size_t triangles = 0;  ///< Left.
    };
    /// A step that is none of the collapses.
    struct Drop {
        std::size_t step;
        std::uint32_t piece;
        std::uint32_t triangles;
    };
    void append(CollapseStep step);
    /// Goes on by one step.
    void advance(State& state) const;
    [[nodiscard]] State stateAt(std::size_t triangles) const;
    [[nodiscard]] std::vector<std::uint32_t> wedgesAfter(std::size_t merges) const;
    [[nodiscard]] std::vector<std::uint32_t> verticesAfter(std::size_t merges) const;
    [[nodiscard]] std::vector<bool> droppedAfter(std::size_t drops) const;  ///< [pieces]
    [[nodiscard]] bool spans(const std::array<std::uint32_t, 3>& wedges) const;
    void moveVertices(const State& state, std::size_t part, Part& into) const;

    const Mesh& mesh_;
    OriginalIndices names_;
    WedgeVertices vertices_;
    std::vector<std::uint32_t> pieces_;  ///< [V]
    std::vector<AttributeSlot> slots_;
    std::size_t attributeCount_ = 0;
    std::size_t mostTriangles_ = 0;
    std::size_t triangles_ = 0;  ///< Left now.
    Vec3d centre_;
    double unit_ = 1;
    CollapseSteps steps_;
    std::vector<Drop> drops_;
    bool crosses_ = false;
};

}  // namespace flentro
