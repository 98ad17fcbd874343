// A mesh taken apart for reduction: positions, wedges and triangles in unit coordinates.

#pragma once

#include <bit>

#include "base/error.h"
#include "base/progress.h"
#include "geometry/mesh.h"

namespace flentro {

/// How attributes weigh against geometry; see docs/methods.md.
struct AttributeWeights {
    /// Mean edge lengths per unit of difference, >= 0: fine meshes carry in their normals what
    /// coarse ones carry in their shape, and must not pay for it twice.
    double normal = 0.005;
    double texCoord = 0.005;  ///< Metres of deviation per metre that the texture slides, >= 0.
    double color = 0.01;      ///< Diagonals per unit of difference, >= 0.
    /// Metres of deviation per metre between the bones that hold a vertex, >= 0.
    double skin = 0.1;
};

/// Faces with a smaller area, in squared units, have no direction.
inline constexpr float kFlatArea = 1e-14F;

/// Most numbers of one vertex that the metric looks at: normal, two sets of texture coordinates,
/// colour, where its bones are, and where its morph targets take it.
inline constexpr int kMaxAttributes = 16;

/// Where the bones of a vertex are: the middles of what each bone holds, by the vertex's weights.
/// Linear in the weights, so that a quadric tells where they change otherwise than evenly.
inline constexpr const char* kBonePosition = "bone position";

/// Where morph targets take a vertex: the sum of its displacements, of every other target with the
/// other sign so that opposite ones do not cancel out, units. A bend of any target shows in it.
inline constexpr const char* kMorphPosition = "morph position";

/// An attribute that the metric looks at, and how its numbers are scaled.
struct AttributeSlot {
    std::string semantic;
    int components = 0;
    double scale = 1;  ///< Of the metric's number to the stored one.

    /// The number to store for component `c` of the metric's `values`: normals have length 1.
    [[nodiscard]] float stored(const float* values, int c) const;
};

/// Which vertices of a mesh its wedges stand for. Vertices are counted over all parts.
struct OriginalIndices {
    static constexpr std::uint32_t kNone = ~0U;

    std::vector<std::uint32_t> originals;    ///< [W] The first vertex that is equal.
    std::vector<std::uint32_t> wedges;       ///< [O]; kNone where no triangle uses it.
    std::vector<std::uint32_t> firstOfPart;  ///< [parts] Vertex.

    [[nodiscard]] std::uint32_t partOf(std::uint32_t wedge) const;
    /// Index in its part.
    [[nodiscard]] std::uint32_t originalOf(std::uint32_t wedge) const {
        return originals[wedge] - firstOfPart[partOf(wedge)];
    }
};

/// Vertices are worked on in blocks of so many, with consecutive numbers: they lie together in
/// space and in memory, and what is kept of them fits into a core's own cache.
inline constexpr unsigned kBlockBits = 12;
inline constexpr std::uint32_t kBlock = 1U << kBlockBits;

/// All triangle parts of a mesh side by side, in the terms of Hoppe 99: the original's vertices
/// that are equal in every attribute are one wedge, wedges at one position are one vertex.
/// O: vertices of the original, W: wedges, V: vertices.
struct WedgeMesh {
    OriginalIndices names;
    /// [V] centred, diagonal of the bounds = 1. Along a curve through space: see geometry/morton.h.
    std::vector<Vec3f> positions;
    std::vector<std::uint32_t> wedgeVertex;  ///< [W]; wedge p < P is at vertex p.
    std::size_t triangles = 0;               ///< T
    /// [3T] wedges; no triangle is degenerate. In the order of their first corners' vertices.
    std::vector<std::uint32_t> corners;
    int attributeCount = 0;                     ///< K <= kMaxAttributes
    std::vector<AttributeSlot> attributeSlots;  ///< What they are, K numbers together.
    /// [W * (K + 1)] Scaled by their weights; the last of each is 0, for the metric to use.
    std::vector<float> attributes;
    Vec3d centre = Vec3d::Zero();  ///< Metres; the origin of `positions`.
    double unit = 1;               ///< Metres of one unit.
};

/// New numbers for the wedges that are left, in the order of the old ones. Memory: 1.5 bits each.
class RemapTable {
public:
    static constexpr std::uint32_t kNone = ~0U;

    /// `isLeft(w)` of each of so many; the first `vertices` of them are at a vertex of their own.
    template <typename IsLeft>
    RemapTable(std::uint32_t wedges, std::uint32_t vertices, IsLeft&& isLeft)
        : words_(wedges / 64 + 1) {
        for (std::uint32_t w = 0; w < wedges; ++w)
            words_[w / 64].left |= std::uint64_t{isLeft(w)} << w % 64;
        for (std::size_t i = 1; i < words_.size(); ++i) words_[i].before = words_[i - 1].after();
        vertices_ = rank(vertices);
    }

    /// Vertices left: these have the first numbers again.
    [[nodiscard]] std::size_t vertices() const { return vertices_; }
    /// kNone for wedges that are gone.
    [[nodiscard]] std::uint32_t of(std::uint32_t wedge) const {
        return words_[wedge / 64].left >> wedge % 64 & 1U ? rank(wedge) : kNone;
    }

    /// Calls visit(wedge) for those of the first `count` that are left.
    template <typename Visit>
    void forEachLeft(std::size_t count, Visit&& visit) const {
        for (std::size_t i = 0; 64 * i < count; ++i)
            for (std::uint64_t left = words_[i].left; left != 0; left &= left - 1) {
                const std::size_t wedge = 64 * i + static_cast<std::size_t>(std::countr_zero(left));
                if (wedge < count) visit(wedge);
            }
    }

    /// Moves what belongs to each wedge, `stride` values, to where it is now; of as many wedges as
    /// there are values.
    template <typename T>
    void apply(std::vector<T>& values, std::size_t stride = 1) const {
        std::size_t kept = 0;
        forEachLeft(values.size() / stride, [&](std::size_t wedge) {
            for (std::size_t i = 0; i < stride; ++i) values[kept + i] = values[wedge * stride + i];
            kept += stride;
        });
        values.resize(kept);
    }

private:
    struct Word {
        std::uint64_t left = 0;    ///< A bit each.
        std::uint32_t before = 0;  ///< Left in all words before.
        [[nodiscard]] std::uint32_t after() const {
            return before + static_cast<std::uint32_t>(std::popcount(left));
        }
    };
    /// How many before that wedge are left.
    [[nodiscard]] std::uint32_t rank(std::uint32_t wedge) const {
        const Word& word = words_[wedge / 64];
        const std::uint64_t before = (std::uint64_t{1} << wedge % 64) - 1;
        return word.before + static_cast<std::uint32_t>(std::popcount(word.left & before));
    }
    std::vector<Word> words_;
    std::size_t vertices_ = 0;
};

/// Where wedges lie: most at the vertex of their own number.
class WedgeVertices {
public:
    explicit WedgeVertices(const WedgeMesh& mesh);
    [[nodiscard]] std::size_t count() const { return count_; }
    [[nodiscard]] std::uint32_t of(std::uint32_t wedge) const {
        return wedge < count_ ? wedge : further_[wedge - count_];
    }
    /// After renumbering: see RemapTable.
    void renumber(const RemapTable& numbers);

private:
    std::uint32_t count_;
    std::vector<std::uint32_t> further_;  ///< Of wedges from `count_` on.
};

/// Errors: Cancelled. Cost: O(V + T) expected.
[[nodiscard]] Expected<WedgeMesh> buildWedgeMesh(const Mesh& mesh, const AttributeWeights& weights,
                                                 const Progress& progress = noProgress());

}  // namespace flentro
