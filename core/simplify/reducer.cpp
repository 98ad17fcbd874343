#include "simplify/reducer.h"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>
#include <numeric>

#include "base/parallel.h"

namespace flentro {
namespace {

/// Open borders and seams are held by planes at right angles to the surface (Garland &
/// Heckbert 1997, section 6), this much stronger than the surface itself.
constexpr float kBorderWeight = 10;
constexpr float kSeamWeight = 1;

/// Pieces below this share of the diagonal may go as soon as they are the cheapest.
constexpr float kLooseSize = 0.02F;

/// Pieces above this share of the whole area are what a thing looks like: they never go.
constexpr float kDropShare = 0.1F;

/// Of all moves there are, the cheapest that one sweep takes: the more, the faster and the farther
/// from the order of costs. Towards the end, as a share of the triangles that are left to go.
constexpr double kSweepShare = 0.2;
constexpr double kLastShare = 0.5;
/// Of so many bounds about one turns out to be no dearer than it was.
constexpr std::uint32_t kBoundsForOne = 5;
/// A sweep goes through the mesh in blocks of so many vertices that lie together in memory, in each
/// in the order of costs: the mesh is larger than the caches.
constexpr std::uint32_t kBlock = 1024;

/// What counts as the same where nothing may be lost, in the attribute's own measure.
constexpr float kSameAttribute = 2e-4F;

/// Costs that are none: impossible as its surroundings were; to be computed. What a move cost
/// before its ends were joined with others is the least that it can cost now: such bounds are
/// kept with a minus sign.
constexpr float kBlocked = std::numeric_limits<float>::infinity();
constexpr float kUnknown = -0.0F;

/// Vertices that one core looks at before it asks again.
constexpr std::size_t kChunk = 1U << 12U;

/// Costs are counted by the upper bits of their sizes, which lie in the order of the numbers.
constexpr unsigned kKeyBits = 13;
constexpr std::uint32_t keyOf(float cost) {
    return std::bit_cast<std::uint32_t>(cost) << 1U >> (32U - kKeyBits);
}
constexpr std::uint32_t kBlockedKey = keyOf(kBlocked);

bool isUnknown(float cost) {
    return cost == 0 && std::signbit(cost);
}

/// In parts of a move that is likely.
std::uint32_t weightOf(float cost) {
    return std::signbit(cost) ? 1 : kBoundsForOne;
}

/// Calls body(begin, end) for all of [0, count): a large range by all cores.
template <typename Body>
void inChunks(std::size_t count, Body&& body) {
    const std::size_t chunks = (count + kChunk - 1) / kChunk;
    if (chunks < 2) return body(0, count);
    parallelFor(chunks, "Evaluating", noProgress(), [&](std::size_t chunk) {
        body(chunk * kChunk, std::min(count, (chunk + 1) * kChunk));
    });
}

std::vector<float> importanceOfWedges(const WedgeMesh& wedges,
                                      const std::vector<std::vector<float>>& importance) {
    std::vector<float> result;
    if (importance.empty()) return result;
    for (std::uint32_t w = 0; w < wedges.wedgePosition.size(); ++w) {
        const auto& part = importance[wedges.names.partOf(w)];
        result.push_back(part.empty() ? 1.0F : part[wedges.names.vertexOf(w)]);
    }
    return result;
}

}  // namespace

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options)
    : Reducer(mesh, options, takeApart(mesh, options.weights)) {}

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options, WedgeMesh wedges)
    : crossSeams_(options.crossSeams && !options.lossless),
      lossless_(options.lossless),
      placement_(options.lossless ? Placement::Existing : options.placement),
      unit_(wedges.unit),
      alive_(wedges.corners.size() / 3),
      fans_(wedges),
      metric_(wedges, importanceOfWedges(wedges, options.importance)),
      log_(mesh, std::move(wedges)) {
    const std::size_t positions = log_.positionCount();
    fans_.refresh();
    costs_.assign(positions, kUnknown);
    targets_.assign(positions, kGone);
    flags_.assign(positions, 0);
    for (const AttributeSlot& slot : log_.attributeSlots())
        tolerances_.insert(tolerances_.end(), static_cast<std::size_t>(slot.components),
                           kSameAttribute * static_cast<float>(slot.scale));
    findBorders(options.lockBorders);
    lock(options.locked);
    findPieces();
}

template <typename Visit>
void Reducer::forEachNeighbour(std::uint32_t position, Visit&& visit) const {
    const bool bothWays = flags_[position] & BothWays;
    for (const Corner corner : fans_.at(position)) {
        visit(fans_.positionAt(nextCorner(corner)));
        if (bothWays) visit(fans_.positionAt(previousCorner(corner)));
    }
}

// --- what the original is like ------------------------------------------------------------

/// True if the two triangles of an edge have different wedges along it.
bool Reducer::isSeam(Corner corner, Corner other) const {
    const bool sameWay = fans_.positionAt(corner) == fans_.positionAt(other);
    const Corner start = sameWay ? other : nextCorner(other);
    const Corner end = sameWay ? nextCorner(other) : other;
    return fans_.wedgeAt(corner) != fans_.wedgeAt(start) ||
           fans_.wedgeAt(nextCorner(corner)) != fans_.wedgeAt(end);
}

/// Marks open borders, non-manifold edges and positions of several wedges, and holds borders and
/// seams by planes of their own.
void Reducer::findBorders(bool lockBorders) {
    for (Corner corner = 0; corner < 4 * fans_.size(); corner += corner % 4 == 2 ? 2 : 1)
        if (fans_.wedgeAt(corner) != fans_.positionAt(corner))
            flags_[fans_.positionAt(corner)] |= Several;
    std::vector<Edge> edges;
    std::vector<std::uint32_t> counts(flags_.size());
    for (std::uint32_t p = 0; p < flags_.size(); ++p) {
        if (isSmoothInside(p, counts)) continue;
        findEdges(p, edges);
        for (const Edge& edge : edges) {
            if (edge.nexts != 1) flags_[p] |= BothWays;
            if (edge.triangles > 2) flags_[p] |= Locked;
            if (edge.triangles == 1) flags_[p] |= lockBorders ? Border | Locked : Border;
            if (edge.to < p || edge.triangles > 2) continue;
            const Vec3f normal = fans_.facing(edge.corner);
            if (edge.triangles == 1)
                metric_.holdEdge(p, edge.to, normal, kBorderWeight);
            else if (isSeam(edge.corner, edge.other))
                metric_.holdEdge(p, edge.to, normal, kSeamWeight);
        }
    }
}

/// True if each neighbour is once a next and once a previous one, and all have one wedge: what
/// most are. `counts` [P]: scratch.
bool Reducer::isSmoothInside(std::uint32_t position, std::vector<std::uint32_t>& counts) const {
    if (flags_[position] & Several) return false;
    constexpr std::uint32_t kNext = 1;
    constexpr std::uint32_t kPrevious = 1U << 16U;
    const Fans::Range fan = fans_.at(position);
    for (const Corner corner : fan) counts[fans_.positionAt(nextCorner(corner))] = 0;
    for (const Corner corner : fan) counts[fans_.positionAt(previousCorner(corner))] = 0;
    for (const Corner corner : fan) {
        counts[fans_.positionAt(nextCorner(corner))] += kNext;
        counts[fans_.positionAt(previousCorner(corner))] += kPrevious;
    }
    return std::ranges::all_of(fan, [&](Corner corner) {
        const std::uint32_t next = fans_.positionAt(nextCorner(corner));
        return counts[next] == kNext + kPrevious && !(flags_[next] & Several);
    });
}

void Reducer::findEdges(std::uint32_t position, std::vector<Edge>& edges) const {
    edges.clear();
    const auto add = [&](std::uint32_t to, Corner corner, int nexts) {
        for (Edge& edge : edges)
            if (edge.to == to) {
                edge.nexts += nexts;
                ++edge.triangles;
                edge.other = corner;
                return;
            }
        edges.push_back({to, corner, kGone, nexts, 1});
    };
    for (const Corner corner : fans_.at(position)) {
        add(fans_.positionAt(nextCorner(corner)), corner, 1);
        add(fans_.positionAt(previousCorner(corner)), previousCorner(corner), 0);
    }
}

void Reducer::lock(const std::vector<std::vector<bool>>& locked) {
    if (locked.empty()) return;
    const WedgeNames& names = log_.names();
    for (std::uint32_t wedge = 0; wedge < names.vertices.size(); ++wedge)
        if (locked[names.partOf(wedge)][names.vertexOf(wedge)])
            flags_[fans_.positionOf(wedge)] |= Locked;
}

/// Loose pieces: positions that triangles hold together (union by number, halving paths).
void Reducer::findPieces() {
    std::vector<std::uint32_t> pieceOf(flags_.size());
    std::iota(pieceOf.begin(), pieceOf.end(), 0U);
    const auto root = [&](std::uint32_t p) {
        while (pieceOf[p] != p) p = pieceOf[p] = pieceOf[pieceOf[p]];
        return p;
    };
    for (Corner corner = 0; corner < 4 * fans_.size(); corner += 4)
        for (const Corner other : {corner + 1, corner + 2}) {
            const auto [low, high] =
                std::minmax({root(fans_.positionAt(corner)), root(fans_.positionAt(other))});
            pieceOf[high] = low;
        }
    // Roots come before all others of their piece.
    std::vector<Eigen::AlignedBox3f> bounds;
    for (std::uint32_t p = 0; p < pieceOf.size(); ++p) {
        const bool isRoot = pieceOf[p] == p;
        pieceOf[p] = isRoot ? static_cast<std::uint32_t>(bounds.size()) : pieceOf[pieceOf[p]];
        if (isRoot) bounds.emplace_back();
        bounds[pieceOf[p]].extend(metric_.place(p));
    }
    for (const Eigen::AlignedBox3f& box : bounds)
        pieces_.push_back({box.diagonal().norm(), 0, 0, false});
    for (Corner corner = 0; corner < 4 * fans_.size(); corner += 4) {
        Piece& piece = pieces_[pieceOf[fans_.positionAt(corner)]];
        const Vec3f& a = metric_.place(fans_.positionAt(corner));
        piece.area += 0.5F * (metric_.place(fans_.positionAt(corner + 1)) - a)
                                 .cross(metric_.place(fans_.positionAt(corner + 2)) - a)
                                 .norm();
        ++piece.triangles;
    }
    float area = 0;
    for (const Piece& piece : pieces_) area += piece.area;
    mostDropped_ = kDropShare * area;
    if (pieces_.size() > 1) log_.setPieces(std::move(pieceOf));
}

// --- sweeps -------------------------------------------------------------------------------

/// True if more than two wedges meet: the two triangles of an edge cannot lead them all elsewhere.
bool Reducer::isCorner(std::uint32_t position) const {
    if (!(flags_[position] & Several)) return false;
    const Fans::Range fan = fans_.at(position);
    const std::uint32_t first = fan.begin() == fan.end() ? kGone : fans_.wedgeAt(*fan.begin());
    std::uint32_t second = first;
    for (const Corner corner : fan) {
        const std::uint32_t wedge = fans_.wedgeAt(corner);
        if (wedge == first || wedge == second) continue;
        if (second != first) return true;
        second = wedge;
    }
    return false;
}

/// The cheapest that a vertex can do.
Reducer::Move Reducer::cheapestMove(std::uint32_t from) const {
    Move best{kBlocked, kGone};
    if (flags_[from] & (Locked | Gone) || (!crossesNow_ && isCorner(from))) return best;
    Plan scratch;
    forEachNeighbour(from, [&](std::uint32_t to) {
        float cost = 0;
        if (isPlain(from, to)) {
            cost = metric_.costOnto(from, to, best.cost);
        } else {
            if (!plan(from, to, scratch)) return;
            if (lossless_ && scratch.joined.distance() > kSamePlane) return;
            cost = scratch.joined.cost;
        }
        if (cost < best.cost) best = {cost, to};
    });
    return best;
}

/// What about `wanted` moves cost at the most, but no more than a share of all there are.
void Reducer::setDearest(std::size_t wanted, double share) {
    std::vector<std::uint32_t> counts(1U << kKeyBits, 0);
    for (const float cost : costs_) counts[keyOf(cost)] += weightOf(cost);
    const std::size_t all =
        std::accumulate(counts.begin(), counts.begin() + kBlockedKey, std::size_t{0});
    const std::size_t most = std::min(kBoundsForOne * wanted,
                                      static_cast<std::size_t>(share * static_cast<double>(all)));
    dearest_ = 0;
    std::size_t found = counts[0];
    while (found < most && dearest_ + 1 < kBlockedKey) found += counts[++dearest_];
    // Where many cost the same there may be more.
    quota_ = std::min(1.0, static_cast<double>(most + 1) / static_cast<double>(found + 1)) /
             kBoundsForOne;
}

/// Computes the costs that are not known at all: by all cores.
void Reducer::evaluateUnknown() {
    std::vector<std::uint32_t> unknown;
    for (std::uint32_t p = 0; p < costs_.size(); ++p)
        if (isUnknown(costs_[p])) unknown.push_back(p);
    inChunks(unknown.size(), [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) evaluate(unknown[i]);
    });
}

void Reducer::evaluate(std::uint32_t position) {
    const Move move = cheapestMove(position);
    costs_[position] = move.cost;
    targets_[position] = move.to;
}

/// Vertices are looked at again as soon as they may cost no more than the sweep's dearest.
void Reducer::enqueue(std::uint32_t position) {
    if (keyOf(costs_[position]) > dearest_ || position / kBlock != block_) return;
    queue_.push_back({std::fabs(costs_[position]), position});
    std::push_heap(queue_.begin(), queue_.end(), std::greater<>());
}

/// Collapses in one block what costs no more than the sweep's dearest, the cheapest first, up to
/// its share of what the sweep wants: as one collapse makes room for the next, it would take all.
void Reducer::sweepBlock(const Goal& goal, Swept& swept) {
    const auto end = static_cast<std::uint32_t>(
        std::min<std::size_t>(costs_.size(), std::size_t{block_ + 1} * kBlock));
    for (std::uint32_t p = block_ * kBlock; p < end; ++p) {
        if (keyOf(costs_[p]) > dearest_) continue;
        swept.allowed += quota_ * weightOf(costs_[p]);
        queue_.push_back({std::fabs(costs_[p]), p});
    }
    std::make_heap(queue_.begin(), queue_.end(), std::greater<>());
    while (!queue_.empty() && alive_ > goal.triangles &&
           static_cast<double>(swept.collapses) < swept.allowed) {
        std::pop_heap(queue_.begin(), queue_.end(), std::greater<>());
        const auto [cost, p] = queue_.back();
        queue_.pop_back();
        if (cost != std::fabs(costs_[p])) continue;  // of before
        if (std::signbit(costs_[p])) {
            evaluate(p);
            enqueue(p);
            ++swept.evaluated;
        } else {
            swept.collapses += tryMove(p, goal.limit);
        }
    }
    queue_.clear();
}

/// One round of collapses. Returns how many there were.
std::size_t Reducer::sweep(const Goal& goal) {
    if (dropsNow_) removeDropped();
    evaluateUnknown();
    const auto wanted =
        1 + static_cast<std::size_t>(kLastShare * static_cast<double>(alive_ - goal.triangles));
    Swept swept;
    double share = kSweepShare;
    while (swept.collapses == 0) {
        swept = {};
        setDearest(wanted, share);
        for (block_ = 0; std::size_t{block_} * kBlock < costs_.size(); ++block_) {
            if (goal.progress.cancelled()) return swept.collapses;
            sweepBlock(goal, swept);
        }
        for (const auto& [cost, piece] : drops())
            if (alive_ > goal.triangles) swept.collapses += tryDrop(piece, goal.limit);
        // Dearer moves only when none of the cheapest could be carried out.
        if (swept.evaluated > 0) continue;
        if (share >= 1) break;
        share = std::min(2 * share, 1.0);
    }
    return swept.collapses;
}

bool Reducer::reduceTo(std::size_t triangles, double maxDeviation, Progress& progress) {
    const auto start = static_cast<double>(alive_);
    const Goal goal{triangles, maxDeviation / unit_, progress};
    bool lookedAtAll = false;
    while (alive_ > triangles && !progress.cancelled()) {
        progress.report(
            (start - static_cast<double>(alive_)) / (start - static_cast<double>(triangles)),
            "Reducing");
        if (sweep(goal) > 0) {
            lookedAtAll = false;
            continue;
        }
        if (lookedAtAll && (!crossSeams_ || crossesNow_)) break;
        crossesNow_ = crossesNow_ || lookedAtAll;
        for (std::uint32_t p = 0; p < costs_.size(); ++p)
            costs_[p] = flags_[p] & Gone ? kBlocked : kUnknown;
        lookedAtAll = true;
    }
    return !progress.cancelled();
}

// --- pieces and moves --------------------------------------------------------------------

/// The pieces that may go for no more than the sweep's dearest, the cheapest first. A piece that
/// goes leaves its area half its size away from what remains, more or less.
std::vector<Reducer::Candidate> Reducer::drops() const {
    std::vector<Candidate> found;
    if (pieces_.size() < 2 || lossless_) return found;
    for (std::uint32_t i = 0; i < pieces_.size(); ++i) {
        const Piece& piece = pieces_[i];
        const bool loose = piece.size < kLooseSize || crossesNow_;
        const float cost = piece.area * piece.size * piece.size / 4;
        if (piece.dropped || piece.area > mostDropped_ || !loose || keyOf(cost) > dearest_)
            continue;
        found.push_back({cost, i});
    }
    std::sort(found.begin(), found.end());
    return found;
}

bool Reducer::tryDrop(std::uint32_t index, double limit) {
    Piece& piece = pieces_[index];
    if (static_cast<double>(piece.size / 2) > limit) return false;
    piece.dropped = dropsNow_ = true;
    alive_ -= piece.triangles;
    deviation_ = std::max(deviation_, static_cast<double>(piece.size / 2) * unit_);
    log_.addDrop(index, piece.triangles, deviation_);
    return true;
}

void Reducer::removeDropped() {
    dropsNow_ = false;
    for (std::uint32_t p = 0; p < flags_.size(); ++p) {
        if (!isDropped(p)) continue;
        flags_[p] |= Gone;
        costs_[p] = kBlocked;
        for (const Corner corner : fans_.at(p)) fans_.remove(corner);
    }
}

/// The cheapest move of a vertex, or if that is not allowed another that costs no more than the
/// sweep's dearest.
bool Reducer::tryMove(std::uint32_t from, double limit) {
    if (isDropped(from)) return false;
    Plan move;
    if (!plan(from, targets_[from], move) || !isAllowed(move, limit)) return tryOthers(from, limit);
    collapse(move);
    return true;
}

bool Reducer::tryOthers(std::uint32_t from, double limit) {
    others_.clear();
    Plan move;
    forEachNeighbour(from, [&](std::uint32_t to) {
        if (to != targets_[from] && plan(from, to, move)) others_.push_back({move.joined.cost, to});
    });
    std::sort(others_.begin(), others_.end());
    costs_[from] = kBlocked;
    for (const auto& [cost, to] : others_) {
        if (keyOf(cost) > dearest_) {
            costs_[from] = -cost;
            return false;
        }
        if (!plan(from, to, move) || !isAllowed(move, limit)) continue;
        collapse(move);
        return true;
    }
    return false;
}

void Reducer::collapse(const Plan& plan) {
    const std::size_t before = alive_;
    for (const Corner corner : fans_.at(plan.from)) {
        const bool vanishes = fans_.positionAt(nextCorner(corner)) == plan.to ||
                              fans_.positionAt(previousCorner(corner)) == plan.to;
        if (vanishes) {
            fans_.remove(corner);
            --alive_;
            if (pieces_.size() > 1) --pieces_[log_.pieceOf(plan.to)].triangles;
            continue;
        }
        for (const WedgeMerge& merge : plan.all())
            if (merge.from == fans_.wedgeAt(corner)) {
                fans_.setWedge(corner, merge.to);
                break;
            }
    }
    metric_.join(plan.from, plan.to, plan.all(), plan.joined.offset, plan.fit);
    flags_[plan.to] |= flags_[plan.from];
    flags_[plan.from] |= Gone;
    deviation_ = std::max(deviation_, static_cast<double>(plan.joined.distance()) * unit_);
    log_.add(plan.all(), before - alive_, deviation_);
    if (plan.fit) log_.moved(metric_);
    updateCosts(plan);
    fans_.join(plan.from, plan.to);
}

/// Costs only grow, so that what was the cheapest move of a vertex still is, unless it went to
/// one of the two or there is a cheaper one now. New are the moves between the joined vertex and
/// the neighbours of the one that is gone.
void Reducer::updateCosts(const Plan& plan) {
    const auto [from, to] = std::pair(plan.from, plan.to);
    costs_[from] = kBlocked;
    costs_[to] = -std::fabs(costs_[to]);
    const auto grows = [&](std::uint32_t p) {
        if (costs_[p] == kBlocked)
            costs_[p] = flags_[p] & Locked ? kBlocked : kUnknown;  // may have become possible
        else if (targets_[p] == from || targets_[p] == to)
            costs_[p] = -std::fabs(costs_[p]);
    };
    forEachNeighbour(to, grows);
    forEachNeighbour(from, [&](std::uint32_t p) {
        grows(p);
        if (placement_ == Placement::Existing) {
            lower(p, to, metric_.least(p, to));
            lower(to, p, metric_.least(to, p));
        } else {
            lower(std::min(p, to), std::max(p, to), 0);
        }
    });
    enqueue(to);
}

/// Minds a move that is new and costs `least` or more.
void Reducer::lower(std::uint32_t from, std::uint32_t to, float least) {
    float& known = costs_[from];
    const float most = std::fabs(known);
    if (least >= most) return;
    float cost = least;
    const bool special = lossless_ || (flags_[from] | flags_[to]) & kSpecial;
    const bool exact = !special && !std::signbit(known) && most < kBlocked;
    Plan scratch;
    if (placement_ == Placement::Optimal && !special)
        cost = plan(from, to, scratch) ? scratch.joined.cost : kBlocked;
    else if (exact)
        cost = metric_.costOnto(from, to, most);
    if (cost >= most) return;
    known = exact ? cost : -cost;
    targets_[from] = to;
    enqueue(from);
}

}  // namespace flentro
