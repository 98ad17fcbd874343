// The triangles of a mesh under reduction, and the fan of corners around each vertex.

#pragma once

#include <array>
#include <bit>
#include <iterator>
#include <span>

#include "base/parallel.h"
#include "geometry/octahedral.h"
#include "simplify/wedges.h"

namespace flentro {

/// Corner k of triangle t: 8 t + k, k < 3.
using Corner = std::uint32_t;

[[nodiscard]] inline Corner nextCorner(Corner corner) {
    return (corner & 3U) == 2 ? corner - 2 : corner + 1;
}
[[nodiscard]] inline Corner previousCorner(Corner corner) {
    return (corner & 3U) == 0 ? corner + 2 : corner - 1;
}

/// A triangle as seen from one of its vertices.
struct IncidentCorner {
    Corner corner;
    std::uint32_t next, previous;  ///< The two other vertices.
};

/// The triangles at a vertex, gathered because a collapse goes through them many times.
struct Star {
    std::uint32_t vertex = 0;
    std::vector<IncidentCorner> incident;
};

/// Each corner knows the next one at its vertex, so that fans join without room to move to.
/// Memory: 34 bytes a triangle.
class Fans {
public:
    /// From the first corner of a triangle to that of the next.
    static constexpr Corner kStride = 8;

    /// Takes the corners out of the mesh.
    explicit Fans(WedgeMesh& mesh);

    /// Passes over the corners of triangles that have been removed.
    class Iterator {
    public:
        using value_type = Corner;
        using difference_type = std::ptrdiff_t;
        Iterator() = default;
        Iterator(const Fans& fans, Corner at) : fans_(&fans), at_(at) { settle(); }
        [[nodiscard]] Corner operator*() const { return at_; }
        Iterator& operator++() {
            at_ = fans_->after(at_);
            settle();
            return *this;
        }
        void operator++(int) { ++*this; }
        [[nodiscard]] bool operator==(std::default_sentinel_t) const { return at_ == kNone; }

    private:
        void settle() {
            while (at_ != kNone && !fans_->isAlive(at_)) at_ = fans_->after(at_);
        }
        const Fans* fans_ = nullptr;
        Corner at_ = kNone;
    };
    struct Range {
        Iterator first;
        [[nodiscard]] Iterator begin() const { return first; }
        [[nodiscard]] std::default_sentinel_t end() const { return {}; }
    };
    /// The corners at a vertex. Triangles may be removed on the way.
    [[nodiscard]] Range at(std::uint32_t vertex) const { return {{*this, firsts_[vertex]}}; }

    /// The corner after the last one of all; triangles that have been removed count.
    [[nodiscard]] Corner end() const { return static_cast<Corner>(words_.size()); }
    [[nodiscard]] bool isAlive(Corner corner) const { return words_[corner & ~3U] != kNone; }
    [[nodiscard]] std::uint32_t wedgeAt(Corner corner) const { return words_[corner]; }
    [[nodiscard]] std::uint32_t vertexAt(Corner corner) const { return vertexOf(wedgeAt(corner)); }
    [[nodiscard]] std::uint32_t vertexOf(std::uint32_t wedge) const { return vertices_.of(wedge); }
    /// Which way the triangle lay in the original.
    [[nodiscard]] Vec3f facing(Corner corner) const {
        return std::bit_cast<PackedDirection>(words_[corner | kFacing]).unpacked();
    }
    void setWedge(Corner corner, std::uint32_t wedge) { words_[corner] = wedge; }
    void remove(Corner corner) { words_[corner & ~3U] = kNone; }

    void gatherOneRing(std::uint32_t vertex, Star& star) const;
    /// All corners of `from`, whose wedges have been set, are at `to` from now on. The stars hold
    /// what there is at both.
    void join(const Star& from, const Star& to);

    /// Calls visit(corner) with the first corner of each triangle: for those that lie in one block
    /// on all cores, where no two at a time are of the same block; for the others afterwards, one
    /// by one. Only as long as nothing was joined.
    template <typename Visit>
    void visitBlocks(Visit&& visit) const;

    /// Forgets the triangles that are gone; the rest keep their order. Cost: O(P + T).
    void renumber(const RemapTable& numbers);

private:
    static constexpr std::uint32_t kNone = ~0U;
    static constexpr Corner kFacing = 3;  ///< In a triangle.
    static constexpr Corner kAfter = 4;   ///< From a corner.
    void link(std::size_t vertices);
    /// The first triangle whose first corner is in that block or a later one.
    [[nodiscard]] Corner firstOfBlock(std::uint32_t block) const;
    [[nodiscard]] Corner after(Corner corner) const { return words_[corner + kAfter]; }
    /// Of each triangle: its wedges, which way it lay, the next corners at the same vertices, and
    /// one that is not used.
    std::vector<std::uint32_t> words_;
    WedgeVertices vertices_;
    std::vector<Corner> firsts_;  ///< [V] Of each fan.
};

template <typename Visit>
void Fans::visitBlocks(Visit&& visit) const {
    std::vector<std::vector<Corner>> between((firsts_.size() + kBlock - 1) / kBlock);
    parallelEach(between.size(), [&](std::size_t b) {
        const auto block = static_cast<std::uint32_t>(b);
        const Corner end = firstOfBlock(block + 1);
        for (Corner corner = firstOfBlock(block); corner < end; corner += kStride) {
            if (vertexAt(corner + 1) / kBlock == block && vertexAt(corner + 2) / kBlock == block)
                visit(corner);
            else
                between[b].push_back(corner);
        }
    });
    for (const auto& corners : between)
        for (const Corner corner : corners) visit(corner);
}

}  // namespace flentro
