// Edge collapse by quadric error, in sweeps.
//
// Collapses come nearly in the order of their cost: each sweep takes the cheapest edges whose
// ends no other collapse of the sweep has touched (independent sets, after Garland & Heckbert
// 1997 and M. Franc, V. Skala, "Parallel Triangular Mesh Decimation", 2000), so that costs are
// looked up in a row instead of in a heap. The link condition is that of T. Dey et al. 1999.

#pragma once

#include <array>

#include "base/progress.h"
#include "simplify/collapse_log.h"
#include "simplify/error_metric.h"

namespace flentro {

/// Where a joined vertex goes.
enum class Placement {
    /// Onto one of the two: every level uses vertices that the artist made, so that all levels
    /// share one vertex buffer and skin weights and morph targets stay exact.
    Existing,
    /// To where the error is least, with attributes to fit; other attributes are those of the
    /// nearer vertex. A tenth to an eighth less mean deviation where few triangles are left.
    Optimal,
};

struct ReducerOptions {
    AttributeWeights weights;
    Placement placement = Placement::Existing;
    bool lockBorders = false;  ///< Keeps vertices of open borders where they are.
    /// When nothing else is possible, vertices cross seams and hard edges, and loose pieces of any
    /// size may go: box-built things become rough instead of staying as they are. A vertex then
    /// goes only where each of its materials is.
    bool crossSeams = true;
    /// How much the surface around each vertex matters, > 0; 1 is usual. [parts][vertices];
    /// empty: 1 everywhere. Four times the importance halves the deviation that is spent there.
    std::vector<std::vector<float>> importance;
    /// Vertices that stay where they are. [parts][vertices]; empty: none.
    std::vector<std::vector<bool>> locked;
    /// Only collapses that change nothing that can be seen: surfaces stay in their planes and
    /// all attributes that the metric looks at the same functions on them. Vertices stay among
    /// the existing ones, no piece goes, no seam is crossed.
    bool lossless = false;
};

/// Reduces one mesh further and further and keeps every state on the way.
/// What never moves: vertices of non-manifold edges.
/// Memory: about 200 bytes a triangle with normals and one set of texture coordinates.
class Reducer {
public:
    /// `mesh` must outlive the reducer. Cost: O(T).
    Reducer(const Mesh& mesh, const ReducerOptions& options);

    /// Collapses until at most `triangles` are left, or every further collapse would move the
    /// surface by more than `maxDeviation` metres (estimated), or none is possible.
    /// Returns false if cancelled. Cost: O(T log T) for all of it.
    bool reduceTo(std::size_t triangles, double maxDeviation, Progress& progress);

    [[nodiscard]] std::size_t triangleCount() const { return alive_; }

    /// Root mean square distance to the planes of the original, worst vertex, metres: an
    /// estimate that grows with every collapse. measureDeviation() measures.
    [[nodiscard]] double estimatedDeviation() const { return deviation_; }

    /// All states so far.
    [[nodiscard]] const CollapseLog& log() const { return log_; }

    /// The present state.
    [[nodiscard]] Mesh mesh() const { return log_.meshAt(alive_); }
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> indices() const {
        return log_.indicesAt(alive_);
    }

private:
    Reducer(const Mesh& mesh, const ReducerOptions& options, WedgeMesh wedges);

    static constexpr std::uint32_t kGone = ~0U;
    static constexpr std::size_t kMostMerges = 8;
    enum Flag : std::uint8_t { Border = 1, Locked = 2, Several = 4 };

    /// Triangles that hang together.
    struct Piece {
        float size = 0;  ///< Diagonal of its bounds, units.
        float area = 0;  ///< Squared units.
        std::size_t triangles = 0;
        bool dropped = false;
    };
    /// Cost, and the corner of an edge, or with kDropBit a piece to drop.
    using Candidate = std::pair<float, std::uint32_t>;
    static constexpr std::uint32_t kDropBit = 1U << 31U;

    /// What joining the two ends of an edge means.
    struct Plan {
        std::uint32_t from = 0;
        std::uint32_t to = 0;
        bool fit = false;  ///< The joined vertex is a new one.
        ErrorMetric::Joined joined;
        std::array<WedgeMerge, kMostMerges> merges;
        std::size_t mergeCount = 0;

        [[nodiscard]] std::span<const WedgeMerge> all() const {
            return {merges.data(), mergeCount};
        }
    };

    [[nodiscard]] std::uint32_t positionAt(std::size_t corner) const { return positions_[corner]; }
    [[nodiscard]] std::span<const std::uint32_t> cornersOf(std::uint32_t position) const {
        return {cornerList_.data() + firstCorner_[position],
                firstCorner_[position + 1] - firstCorner_[position]};
    }
    [[nodiscard]] bool isAlive(std::uint32_t corner) const { return corners_[corner] != kGone; }

    void findFacing();
    void findBorders(bool lockBorders);
    void lock(const std::vector<std::vector<bool>>& locked);
    [[nodiscard]] bool isSeam(std::uint32_t corner, std::uint32_t opposite) const;

    void findPieces();
    [[nodiscard]] bool isDropped(std::uint32_t corner) const {
        return pieces_.size() > 1 && pieces_[log_.pieceOf(positionAt(corner))].dropped;
    }
    void addDrops(std::vector<Candidate>& candidates) const;
    bool tryDrop(std::uint32_t piece, double limit);
    void compact();
    void indexCorners();
    [[nodiscard]] float costOf(std::uint32_t corner, Plan& scratch) const;
    void evaluateChanged();
    [[nodiscard]] std::vector<Candidate> cheapest(std::size_t wanted);
    [[nodiscard]] bool isOwner(std::uint32_t corner) const;
    std::size_t sweep(std::size_t triangles, double limit);
    bool tryCollapse(std::uint32_t corner, double limit);
    [[nodiscard]] bool plan(std::uint32_t corner, Plan& plan) const;
    [[nodiscard]] bool pairLeftOver(std::uint32_t p, std::uint32_t q, Plan& plan) const;
    [[nodiscard]] bool pairWedges(std::uint32_t p, std::uint32_t q, Plan& plan, bool& pMoves,
                                  bool& qMoves) const;
    void choosePlace(std::uint32_t p, std::uint32_t q, bool pMoves, bool qMoves, Plan& plan) const;
    [[nodiscard]] bool isAllowed(const Plan& plan, double limit);
    [[nodiscard]] bool losesNothing(const Plan& plan) const;
    [[nodiscard]] bool continues(std::uint32_t corner, std::uint32_t wedge) const;
    [[nodiscard]] bool keepsTopology(std::uint32_t p, std::uint32_t q);
    [[nodiscard]] bool keepsFacing(std::uint32_t moving, std::uint32_t other,
                                   const Vec3f& place) const;
    void collapse(const Plan& plan);

    std::vector<std::uint32_t> corners_;    ///< [3T] wedges; compacted from time to time.
    std::vector<std::uint32_t> positions_;  ///< [3T] of those wedges.
    std::vector<float> costs_;   ///< [3T] of the edge from a corner to the next, or below what.
    std::vector<Vec3f> facing_;  ///< [T] unit normals of the original.
    std::vector<std::uint32_t> firstCorner_;  ///< [P + 1] in cornerList_, as of the sweep.
    std::vector<std::uint32_t> cornerList_;   ///< [3T]
    std::vector<std::uint8_t> flags_;         ///< [P]
    std::vector<std::uint32_t> touched_;      ///< [P] Sweep in which it was last joined.
    std::vector<std::uint32_t> mark_;         ///< [P] Scratch.
    std::vector<Piece> pieces_;
    float mostDropped_ = 0;    ///< Area of a piece, squared units, that may go.
    bool crossSeams_;          ///< May it ever?
    bool crossesNow_ = false;  ///< Nothing else was possible.
    bool lossless_;
    std::vector<float> tolerances_;  ///< [K] Of attributes in lossless mode.
    std::uint32_t stamp_ = 0;
    std::uint32_t sweep_ = 0;
    Placement placement_;
    double unit_ = 1;
    std::size_t alive_ = 0;
    double deviation_ = 0;  ///< Metres.
    ErrorMetric metric_;
    CollapseLog log_;
};

}  // namespace flentro
