// Edge collapse by quadric error, in sweeps.
//
// Collapses come nearly in the order of their cost (Garland & Heckbert 1997). A sweep takes what
// costs no more than a bound, in blocks of vertices that lie together in space and in memory, and
// within each the cheapest first: the one heap of the paper would touch all of a mesh that is
// larger than the caches again and again. What stays within a block is done on all cores at once;
// what reaches across the rims of blocks follows. Each vertex keeps its cheapest move. Quadrics
// only grow, so that what a move has cost is the least that it can cost later: most need not be
// computed again (Cohen et al., "Successive Mappings", 1997, put off costs in the same way). The
// link condition is that of T. Dey et al. 1999.
//
// reducer.cpp: what the original is like, pieces; reducer_sweeps.cpp: the order of collapses;
// reducer_rules.cpp: what is allowed.

#pragma once

#include <array>
#include <limits>

#include "base/error.h"
#include "base/progress.h"
#include "simplify/collapse_log.h"
#include "simplify/cost_queue.h"
#include "simplify/error_metric.h"
#include "simplify/fans.h"

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
    /// Vertices may cross seams and hard edges where that costs least: what hard edges and islands
    /// of texture hold would else go last, long after all that gives it its shape. A vertex then
    /// goes only where each of its materials is. When nothing else is possible, loose pieces of any
    /// size go, one after the other; one always stays.
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
/// Memory: about 150 bytes a triangle at the peak, with normals and one set of texture coordinates.
class Reducer {
public:
    /// `mesh` must outlive the reducer. Cost: O(T).
    Reducer(const Mesh& mesh, const ReducerOptions& options);
    /// The same, which can be stopped. Errors: Cancelled.
    [[nodiscard]] static Expected<Reducer> build(const Mesh& mesh, const ReducerOptions& options,
                                                 const Progress& progress);

    /// Collapses until at most `triangles` are left, or every further collapse would move the
    /// surface by more than `maxDeviation` metres (estimated), or none is possible.
    /// Errors: Cancelled; it can go on from there. Cost: O(T log T) for all of it.
    Expected<void> reduceTo(std::size_t triangles, double maxDeviation, Progress& progress);

    [[nodiscard]] std::size_t triangleCount() const { return alive_; }

    /// Root mean square distance to the planes of the original, worst vertex, metres: an
    /// estimate that grows with every collapse. measureDeviation() measures.
    [[nodiscard]] double estimatedDeviation() const { return log_.lastDeviation(); }

    /// All states so far.
    [[nodiscard]] const CollapseLog& log() const { return log_; }
    /// The log, for whoever no longer needs the reducer.
    [[nodiscard]] CollapseLog takeLog() && { return std::move(log_); }

    /// The present state.
    [[nodiscard]] Mesh mesh() const { return log_.meshAt(alive_); }
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> indices() const {
        return log_.indicesAt(alive_);
    }

private:
    Reducer(const Mesh& mesh, const ReducerOptions& options, WedgeMesh wedges);
    Expected<void> prepare(const ReducerOptions& options, const Progress& progress);

    static constexpr std::uint32_t kGone = ~0U;
    /// Costs that are none: impossible as its surroundings were; to be computed. What a move cost
    /// before its ends were joined with others is the least that it can cost now: such bounds are
    /// kept with a minus sign.
    static constexpr float kBlocked = std::numeric_limits<float>::infinity();
    static constexpr float kUnknown = -0.0F;
    /// Below this share of vertices that are left the rest are numbered anew.
    static constexpr double kSparse = 0.6;
    static constexpr std::size_t kMaxMerges = 8;
    /// Where nothing may be lost, what is nearer to a plane, in diagonals, lies on it: files hold
    /// floats, so that even flat surfaces are not quite.
    static constexpr float kSamePlane = 1e-5F;
    enum Flag : std::uint8_t {
        Border = 1,
        Locked = 2,
        Several = 4,         ///< Wedges, once at least.
        BothWays = 8,        ///< Some neighbour is only a previous corner of its triangles.
        Marked = 16,         ///< Scratch of the link condition.
        Gone = 32,           ///< Joined with another, or its piece was dropped.
        BlockBoundary = 64,  ///< May have neighbours in other blocks.
    };
    static constexpr std::uint8_t kSpecial = Border | Locked | Several;

    /// Triangles that hang together.
    struct Piece {
        float size = 0;  ///< Diagonal of its bounds, units.
        float gap = 0;   ///< Farthest that any of it is from larger pieces, units; 0: not asked.
        float area = 0;  ///< Squared units.
        std::size_t triangles = 0;
        bool dropped = false;
    };
    struct Move {
        float cost = 0;
        std::uint32_t to = kGone;
        auto operator<=>(const Move&) const = default;
    };
    struct Goal {
        std::size_t triangles;
        double limit;  ///< Of deviation, units.
        Progress& progress;
    };
    /// Which moves of a block's vertices a pass takes.
    enum class Pass {
        All,
        Inside,   ///< That touch no vertex of other blocks: many blocks at a time.
        Outside,  ///< The others.
    };
    /// The work on vertices with consecutive numbers.
    struct Block {
        Block(Pass kind, CollapseBatch begun, CostQueue empty)
            : pass(kind), batch(std::move(begun)), queue(std::move(empty)) {}
        Pass pass;
        std::uint32_t number = 0;
        double allowed = 0;      ///< Collapses, in all.
        bool evaluated = false;  ///< Some bound became a cost.
        CollapseBatch batch;     ///< Done.
        CostQueue queue;
        // Scratch.
        Star from, to;  ///< Of the move in hand.
        std::vector<Move> others;
        std::vector<float> attributes;
    };

    /// What it means that one vertex joins another.
    struct Plan {
        std::uint32_t from = 0;
        std::uint32_t to = 0;
        bool placesNewVertex = false;  ///< The joined vertex is a new one.
        ErrorMetric::Joined joined;
        std::array<WedgeMerge, kMaxMerges> merges;
        std::size_t mergeCount = 0;

        [[nodiscard]] std::span<const WedgeMerge> all() const {
            return {merges.data(), mergeCount};
        }
    };
    /// From one vertex to another in the original.
    struct Edge {
        std::uint32_t to;
        Corner corner, other;  ///< Where it begins in one triangle and in the last.
        int nexts;             ///< Triangles that it runs along with.
        int triangles;
    };

    /// Calls visit(vertex) for all neighbours of a vertex, some twice.
    template <typename Visit>
    void forEachNeighbour(std::uint32_t vertex, Visit&& visit) const {
        const bool bothWays = flags_[vertex] & BothWays;
        for (const Corner corner : fans_.at(vertex)) {
            visit(fans_.vertexAt(nextCorner(corner)));
            if (bothWays) visit(fans_.vertexAt(previousCorner(corner)));
        }
    }

    template <typename Visit>
    void forEachNeighbour(const Star& star, Visit&& visit) const {
        const bool bothWays = flags_[star.vertex] & BothWays;
        for (const IncidentCorner& incident : star.incident) {
            visit(incident.next);
            if (bothWays) visit(incident.previous);
        }
    }

    void findBorders(bool lockBorders);
    [[nodiscard]] std::vector<std::uint32_t> roughVertices() const;
    [[nodiscard]] bool isSmoothInside(std::uint32_t vertex) const;
    void findEdges(std::uint32_t vertex, std::vector<Edge>& edges) const;
    void lock(const std::vector<std::vector<bool>>& locked);
    [[nodiscard]] bool isSeam(Corner corner, Corner other) const;
    void findPieces();
    void measureGaps(const std::vector<std::uint32_t>& pieceOf);

    /// Of a wedge, in the log.
    [[nodiscard]] std::uint32_t nameOf(std::uint32_t wedge) const {
        return names_.empty() ? wedge : names_[wedge];
    }
    [[nodiscard]] std::uint32_t pieceOf(std::uint32_t vertex) const {
        return log_.pieceOf(nameOf(vertex));
    }
    [[nodiscard]] bool isDropped(std::uint32_t vertex) const {
        return pieces_.size() > 1 && pieces_[pieceOf(vertex)].dropped;
    }
    [[nodiscard]] std::vector<std::pair<float, std::uint32_t>> drops(std::uint32_t dearest) const;
    bool tryDrop(std::uint32_t piece, double limit);
    void removeDropped();
    [[nodiscard]] bool isCorner(std::uint32_t vertex) const;
    [[nodiscard]] Move cheapestMove(std::uint32_t from) const;
    void evaluate(std::uint32_t vertex);
    void evaluateUnknown();
    void renumber();
    void setDearest(std::size_t wanted, double share);
    [[nodiscard]] std::vector<double> blockBudgets() const;
    std::size_t sweep(const Goal& goal);
    bool sweepInside(const Goal& goal, std::vector<CollapseBatch>& batches);
    bool sweepAlone(Pass pass, const Goal& goal, CollapseBatch& batch);
    std::size_t commitSweep(const std::vector<CollapseBatch>& inside, const CollapseBatch& rest);
    void sweepBlock(Block& block, const Goal& goal);
    void seedQueue(Block& block);
    void enqueue(Block& block, std::uint32_t vertex);
    /// True if nothing changes outside its block when a vertex joins another.
    [[nodiscard]] bool staysInside(std::uint32_t from, std::uint32_t to) const {
        // Of a vertex of another block nothing is asked: it may be written to at this time.
        return to != kGone && !(flags_[from] & BlockBoundary) && !(flags_[to] & BlockBoundary);
    }
    /// True if a sweep's pass takes that move of a vertex.
    [[nodiscard]] bool takes(Pass pass, std::uint32_t from, std::uint32_t to) const {
        return pass == Pass::All || (pass == Pass::Inside) == staysInside(from, to);
    }
    void findBlocks();
    [[nodiscard]] std::uint32_t blockOf(std::uint32_t vertex) const { return vertex >> blockBits_; }
    [[nodiscard]] std::uint32_t blockCount() const {
        return flags_.empty() ? 0 : blockOf(static_cast<std::uint32_t>(flags_.size()) - 1) + 1;
    }
    [[nodiscard]] std::uint32_t beginOf(std::uint32_t block) const {
        return std::min(block << blockBits_, static_cast<std::uint32_t>(flags_.size()));
    }
    void widenBoundaries(const Block& block);
    void tryMove(Block& block, std::uint32_t from, double limit);
    void tryOthers(Block& block, std::uint32_t from, double limit);
    [[nodiscard]] bool plan(std::uint32_t from, std::uint32_t to, Plan& plan) const;
    /// True where `from` goes onto `to` and nothing has to be paired.
    [[nodiscard]] bool isPlain(std::uint32_t from, std::uint32_t to) const {
        return ((flags_[from] | flags_[to]) & kSpecial) == 0 && placement_ == Placement::Existing &&
               !lossless_;
    }
    [[nodiscard]] bool pairLeftOver(Plan& plan) const;
    [[nodiscard]] bool pairWedges(Plan& plan, bool& bothMove) const;
    void choosePosition(Plan& plan) const;
    [[nodiscard]] bool isAllowed(Block& block, const Plan& plan, double limit);
    /// The planes of a vertex's first triangles, for what must not leave them.
    struct StarPlanes {
        struct Plane {
            Vec3d normal;
            std::uint32_t next, previous;
        };
        std::array<Plane, 12> planes;
        std::size_t count = 0;
    };
    [[nodiscard]] StarPlanes planesAt(std::uint32_t vertex) const;
    [[nodiscard]] bool leavesPlanes(const StarPlanes& star, std::uint32_t from,
                                    std::uint32_t to) const;
    [[nodiscard]] bool isLossless(const Star& from, const Plan& plan) const;
    [[nodiscard]] bool attributesStayLinear(Corner corner, std::uint32_t wedge) const;
    [[nodiscard]] bool keepsTopology(const Star& p, const Star& q);
    [[nodiscard]] bool keepsFacing(const Star& moving, std::uint32_t other,
                                   const Vec3f& position) const;
    void collapse(Block& block, const Plan& plan);
    [[nodiscard]] std::size_t removeBetween(Block& block);
    [[nodiscard]] std::uint16_t bucketKeyOf(const Block& block, float cost) const;
    void record(Block& block, const Plan& plan, std::size_t triangles, std::uint16_t key);
    void updateCosts(Block& block, const Plan& plan);
    void relax(Block& block, std::uint32_t from, std::uint32_t to);

    bool crossSeams_;
    bool dropsLarge_ = false;  ///< Nor by that: pieces of any size may go.
    bool dropsNow_ = false;    ///< Pieces went in this sweep.
    bool lossless_;
    Placement placement_;
    double unit_ = 1;
    std::size_t alive_ = 0;
    // In this order, so that what each takes out of the wedges is gone when the next is made.
    Fans fans_;
    ErrorMetric metric_;
    CollapseLog log_;

    std::vector<float> costs_;               ///< [V] of its cheapest move, or below what.
    std::vector<std::uint32_t> targets_;     ///< [V] where that goes.
    std::vector<std::uint8_t> flags_;        ///< [V]
    std::vector<std::uint16_t> bucketKeys_;  ///< [V] Key of its last collapse in the sweep.
    std::vector<std::uint32_t> names_;       ///< [W] In the log; empty: the same numbers.
    std::size_t left_ = 0;                   ///< Vertices that are not gone.
    std::vector<Piece> pieces_;
    std::size_t piecesLeft_ = 0;
    float mostDropped_ = 0;          ///< Area of a piece, squared units, that may go.
    std::vector<float> tolerances_;  ///< [K] Of attributes in lossless mode.
    unsigned blockBits_ = kBlockBits;
    std::uint32_t costThreshold_ = 0;  ///< Key of the dearest cost of the sweep.
    double budgetShare_ = 0;           ///< Moves that the sweep wants of each.
    // Scratch, as it takes longer to make than to use where few vertices are left.
    CostQueue queue_;
    std::vector<std::uint32_t> keyCounts_ = std::vector<std::uint32_t>(kCostKeys);
};

}  // namespace flentro
