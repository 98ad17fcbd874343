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

/// Cosine of the largest turn of a face, in one collapse and in all: about 78 degrees.
constexpr float kSmallestTurn = 0.2F;

/// Faces whose height is less than this share of their longest edge are slivers.
constexpr float kThinnest = 0.01F;

/// Pieces below this share of the diagonal may go as soon as they are the cheapest.
constexpr float kLooseSize = 0.02F;

/// Pieces above this share of the whole area are what a thing looks like: they never go.
constexpr float kDropShare = 0.1F;

/// Of the vertices, those that one sweep joins at the most: the more, the faster and the
/// farther from the order of costs.
constexpr double kSweepShare = 0.12;
/// Of a sweep's candidates about one in this many can be carried out.
constexpr std::size_t kCandidates = 3;
/// Candidates are tried in so many bands of rising cost, within each as they lie in memory: the
/// mesh is larger than the caches, and a strict order costs an eighth of the time.
constexpr std::size_t kBands = 16;
/// Where none could be carried out, so many times as many are looked at.
constexpr std::size_t kWider = 4;

/// What counts as the same where nothing may be lost: in diagonals; in the attribute's own
/// measure; as a share. Files hold floats, so that even flat surfaces are not quite.
constexpr float kSamePlane = 1e-5F;
constexpr float kSameAttribute = 2e-4F;
constexpr double kSameArea = 1e-5;

/// Costs that are none: not the edge's owner or impossible; not possible as its surroundings
/// were; to be computed. What an edge cost before its ends were joined with others is the least
/// that it can cost now: such bounds are kept with a minus sign.
constexpr float kNever = std::numeric_limits<float>::infinity();
constexpr float kBlocked = -std::numeric_limits<float>::infinity();
constexpr float kUnknown = -0.0F;

/// Blocked edges are looked at again after this many sweeps; in small meshes after each.
constexpr std::uint32_t kBlockedSweeps = 4;
constexpr std::size_t kSmall = 2000;  ///< Triangles.

constexpr std::size_t kChunk = 1U << 15U;  ///< Corners that one core looks at before it asks again.

std::uint32_t nextCorner(std::uint32_t corner) {
    return corner % 3 == 2 ? corner - 2 : corner + 1;
}
std::uint32_t previousCorner(std::uint32_t corner) {
    return corner % 3 == 0 ? corner + 2 : corner - 1;
}

bool isUnknown(float cost) {
    return cost == 0 && std::signbit(cost);
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
    for (std::size_t w = 0; w < wedges.wedgeVertex.size(); ++w) {
        const auto& part = importance[wedges.wedgePart[w]];
        result.push_back(part.empty() ? 1.0F : part[wedges.wedgeVertex[w]]);
    }
    return result;
}

}  // namespace

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options)
    : Reducer(mesh, options, takeApart(mesh, options.weights)) {}

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options, WedgeMesh wedges)
    : corners_(wedges.corners),
      costs_(wedges.corners.size(), kUnknown),
      flags_(wedges.positions.size(), 0),
      touched_(wedges.positions.size(), 0),
      mark_(wedges.positions.size(), 0),
      crossSeams_(options.crossSeams && !options.lossless),
      lossless_(options.lossless),
      placement_(options.lossless ? Placement::Existing : options.placement),
      unit_(wedges.unit),
      alive_(wedges.corners.size() / 3),
      metric_(wedges, importanceOfWedges(wedges, options.importance)),
      log_(mesh, std::move(wedges)) {
    positions_.reserve(corners_.size());
    for (const std::uint32_t wedge : corners_) positions_.push_back(log_.positionOf(wedge));
    for (const AttributeSlot& slot : log_.attributeSlots())
        tolerances_.insert(tolerances_.end(), static_cast<std::size_t>(slot.components),
                           kSameAttribute * static_cast<float>(slot.scale));
    indexCorners();
    findFacing();
    findBorders(options.lockBorders);
    lock(options.locked);
    findPieces();
}

// --- what the original is like ------------------------------------------------------------

void Reducer::findFacing() {
    facing_.resize(alive_, Vec3f::Zero());
    for (std::size_t t = 0; t < alive_; ++t) {
        const Vec3f& a = metric_.place(positionAt(3 * t));
        const Vec3f normal = (metric_.place(positionAt(3 * t + 1)) - a)
                                 .cross(metric_.place(positionAt(3 * t + 2)) - a);
        const float size = normal.norm();
        if (size > kFlatArea) facing_[t] = normal / size;
    }
}

/// True if the two triangles of an edge have different wedges along it.
bool Reducer::isSeam(std::uint32_t corner, std::uint32_t other) const {
    const bool sameWay = positionAt(corner) == positionAt(other);
    const std::uint32_t start = sameWay ? other : nextCorner(other);
    const std::uint32_t end = sameWay ? nextCorner(other) : other;
    return corners_[corner] != corners_[start] || corners_[nextCorner(corner)] != corners_[end];
}

/// Marks open borders, non-manifold edges and positions of several wedges, and holds borders and
/// seams by planes of their own.
void Reducer::findBorders(bool lockBorders) {
    struct Around {
        std::uint32_t neighbour, corner, other;
        int triangles;
    };
    std::vector<Around> around;
    for (std::uint32_t p = 0; p < flags_.size(); ++p) {
        around.clear();
        const auto add = [&](std::uint32_t neighbour, std::uint32_t corner) {
            for (Around& edge : around)
                if (edge.neighbour == neighbour) {
                    ++edge.triangles;
                    edge.other = corner;
                    return;
                }
            around.push_back({neighbour, corner, kGone, 1});
        };
        for (const std::uint32_t corner : cornersOf(p)) {
            if (corners_[corner] != corners_[cornersOf(p).front()]) flags_[p] |= Several;
            add(positionAt(nextCorner(corner)), corner);
            add(positionAt(previousCorner(corner)), previousCorner(corner));
        }
        for (const Around& edge : around) {
            if (edge.triangles > 2) flags_[p] |= Locked;
            if (edge.triangles == 1) flags_[p] |= lockBorders ? Border | Locked : Border;
            if (edge.neighbour < p || edge.triangles > 2) continue;
            const Vec3f& normal = facing_[edge.corner / 3];
            if (edge.triangles == 1)
                metric_.holdEdge(p, edge.neighbour, normal, kBorderWeight);
            else if (isSeam(edge.corner, edge.other))
                metric_.holdEdge(p, edge.neighbour, normal, kSeamWeight);
        }
    }
}

void Reducer::lock(const std::vector<std::vector<bool>>& locked) {
    if (locked.empty()) return;
    for (const std::uint32_t wedge : corners_)
        if (locked[log_.partOf(wedge)][log_.vertexOf(wedge)])
            flags_[log_.positionOf(wedge)] |= Locked;
}

/// Loose pieces, by flooding over shared positions.
void Reducer::findPieces() {
    std::vector<std::uint32_t> pieceOf(flags_.size(), kGone);
    std::vector<std::uint32_t> open;
    for (std::uint32_t start = 0; start < pieceOf.size(); ++start) {
        if (pieceOf[start] != kGone) continue;
        const auto piece = static_cast<std::uint32_t>(pieces_.size());
        Eigen::AlignedBox3f bounds;
        pieceOf[start] = piece;
        open.push_back(start);
        while (!open.empty()) {
            const std::uint32_t p = open.back();
            open.pop_back();
            bounds.extend(metric_.place(p));
            for (const std::uint32_t corner : cornersOf(p))
                for (const std::uint32_t other : {nextCorner(corner), previousCorner(corner)}) {
                    std::uint32_t& neighbour = pieceOf[positionAt(other)];
                    if (neighbour != kGone) continue;
                    neighbour = piece;
                    open.push_back(positionAt(other));
                }
        }
        pieces_.push_back({bounds.diagonal().norm(), 0, 0, false});
    }
    for (std::uint32_t corner = 0; corner < corners_.size(); corner += 3) {
        Piece& piece = pieces_[pieceOf[positionAt(corner)]];
        const Vec3f& a = metric_.place(positionAt(corner));
        piece.area += 0.5F * (metric_.place(positionAt(corner + 1)) - a)
                                 .cross(metric_.place(positionAt(corner + 2)) - a)
                                 .norm();
        ++piece.triangles;
    }
    float area = 0;
    for (const Piece& piece : pieces_) area += piece.area;
    mostDropped_ = kDropShare * area;
    if (pieces_.size() > 1) log_.setPieces(std::move(pieceOf));
}

// --- sweeps -------------------------------------------------------------------------------

/// Drops the triangles that are gone; the rest keep their order.
void Reducer::compact() {
    std::size_t kept = 0;
    for (std::size_t t = 0; 3 * t < corners_.size(); ++t) {
        if (corners_[3 * t] == kGone || isDropped(static_cast<std::uint32_t>(3 * t))) continue;
        for (std::size_t k = 0; k < 3; ++k) {
            corners_[3 * kept + k] = corners_[3 * t + k];
            positions_[3 * kept + k] = positions_[3 * t + k];
            costs_[3 * kept + k] = costs_[3 * t + k];
        }
        facing_[kept++] = facing_[t];
    }
    corners_.resize(3 * kept);
    positions_.resize(3 * kept);
    costs_.resize(3 * kept);
    facing_.resize(kept);
}

void Reducer::indexCorners() {
    firstCorner_.assign(flags_.size() + 1, 0);
    for (const std::uint32_t position : positions_) ++firstCorner_[position];
    std::partial_sum(firstCorner_.begin(), firstCorner_.end(), firstCorner_.begin());
    cornerList_.resize(corners_.size());
    for (auto c = static_cast<std::uint32_t>(corners_.size()); c-- > 0;)
        cornerList_[--firstCorner_[positions_[c]]] = c;
}

/// Each edge is looked after by one of its corners: where it rises, and on open borders, where
/// there may be no other, wherever it is.
bool Reducer::isOwner(std::uint32_t corner) const {
    const std::uint32_t p = positionAt(corner);
    const std::uint32_t q = positionAt(nextCorner(corner));
    if (p < q) return true;
    if (!(flags_[p] & flags_[q] & Border)) return false;
    return std::none_of(cornersOf(q).begin(), cornersOf(q).end(),
                        [&](std::uint32_t other) { return positionAt(nextCorner(other)) == p; });
}

/// What the edge of a corner costs now.
float Reducer::costOf(std::uint32_t corner, Plan& scratch) const {
    const bool possible =
        plan(corner, scratch) && !(lossless_ && scratch.joined.distance > kSamePlane);
    return possible ? scratch.joined.cost : kNever;
}

/// Minds what the last sweep has changed: costs become bounds, those of edges that have none are
/// computed. Each is a matter of its own, so that a large mesh is looked at by all cores.
void Reducer::evaluateChanged() {
    const bool retries = sweep_ % kBlockedSweeps == 0 || alive_ < kSmall;
    inChunks(corners_.size(), [&](std::size_t begin, std::size_t end) {
        Plan scratch;
        for (auto corner = static_cast<std::uint32_t>(begin); corner < end; ++corner) {
            float& cost = costs_[corner];
            const bool changed = touched_[positionAt(corner)] == sweep_ ||
                                 touched_[positionAt(nextCorner(corner))] == sweep_;
            const bool open = isUnknown(cost) || (retries && cost == kBlocked);
            if (!changed && !open) continue;
            if (!isOwner(corner))
                cost = kNever;
            else if (std::isfinite(cost) && !isUnknown(cost))
                cost = -std::fabs(cost);
            else
                cost = costOf(corner, scratch);
        }
    });
}

/// The cheapest edges, at least `wanted` if there are so many, in bands. Counted by the
/// upper halves of their bits, which for positive numbers lie in the order of the numbers.
std::vector<Reducer::Candidate> Reducer::cheapest(std::size_t wanted) {
    const auto keyOf = [](float cost) { return std::bit_cast<std::uint32_t>(cost) << 1U >> 17U; };
    std::vector<std::uint32_t> counts(1U << 15U, 0);
    for (const float cost : costs_)
        if (std::isfinite(cost)) ++counts[keyOf(cost)];
    std::uint32_t last = 0;
    for (std::size_t found = counts[0]; found < wanted && last + 1 < counts.size();)
        found += counts[++last];
    std::vector<Candidate> found;
    for (std::uint32_t corner = 0; corner < costs_.size(); ++corner)
        if (std::isfinite(costs_[corner]) && keyOf(costs_[corner]) <= last)
            found.emplace_back(0.0F, corner);
    inChunks(found.size(), [&](std::size_t begin, std::size_t end) {
        Plan scratch;
        for (std::size_t i = begin; i < end; ++i) {
            float& cost = costs_[found[i].second];
            if (std::signbit(cost)) cost = costOf(found[i].second, scratch);
            found[i].first = cost;
        }
    });
    std::erase_if(found, [&](const Candidate& candidate) { return keyOf(candidate.first) > last; });
    addDrops(found);
    std::sort(found.begin(), found.end());
    const std::size_t band = found.size() / kBands + 1;
    for (std::size_t begin = 0; begin < found.size(); begin += band) {
        const auto first = found.begin() + static_cast<std::ptrdiff_t>(begin);
        const std::size_t size = std::min(band, found.size() - begin);
        std::sort(first, first + static_cast<std::ptrdiff_t>(size),
                  [](const Candidate& a, const Candidate& b) { return a.second < b.second; });
    }
    return found;
}

/// One round of collapses, the cheapest first. Returns how many there were.
std::size_t Reducer::sweep(std::size_t triangles, double limit) {
    compact();
    indexCorners();
    evaluateChanged();
    ++sweep_;
    const auto most = static_cast<std::size_t>(1 + kSweepShare * 0.5 * static_cast<double>(alive_));
    std::size_t done = 0;
    // Dearer edges only when none of the cheapest could be carried out.
    for (std::size_t wanted = kCandidates * most; done == 0; wanted *= kWider) {
        for (const auto& [cost, candidate] : cheapest(wanted)) {
            if (done >= most || alive_ <= triangles) break;
            done += candidate & kDropBit ? tryDrop(candidate & ~kDropBit, limit)
                                         : tryCollapse(candidate, limit);
        }
        if (wanted >= costs_.size()) break;
    }
    return done;
}

bool Reducer::reduceTo(std::size_t triangles, double maxDeviation, Progress& progress) {
    const std::size_t start = alive_;
    bool lookedAtAll = false;
    while (alive_ > triangles) {
        if (progress.cancelled()) return false;
        progress.report(
            static_cast<double>(start - alive_) / static_cast<double>(start - triangles),
            "Reducing");
        if (sweep(triangles, maxDeviation / unit_) > 0) {
            lookedAtAll = false;
        } else {
            // What was not possible before may have become so by what happened around it.
            if (lookedAtAll && (!crossSeams_ || crossesNow_)) break;
            crossesNow_ = crossesNow_ || lookedAtAll;
            std::fill(costs_.begin(), costs_.end(), kUnknown);
            lookedAtAll = true;
        }
    }
    return !progress.cancelled();
}

// --- one edge -----------------------------------------------------------------------------

/// Pairs the wedges at both ends by the triangles on the edge. An end can move onto the other if
/// each of its wedges has one to go to: otherwise it would have to cross a seam or material
/// border. False if neither can.
bool Reducer::pairWedges(std::uint32_t p, std::uint32_t q, Plan& plan, bool& pMoves,
                         bool& qMoves) const {
    plan.mergeCount = 0;
    std::size_t onEdge = 0;
    for (const std::uint32_t corner : cornersOf(p)) {
        if (!isAlive(corner)) continue;
        for (const std::uint32_t other : {nextCorner(corner), previousCorner(corner)}) {
            if (positionAt(other) != q) continue;
            ++onEdge;
            const WedgeMerge merge{corners_[corner], corners_[other]};
            const auto known = std::find_if(
                plan.merges.begin(), plan.merges.begin() + static_cast<long>(plan.mergeCount),
                [&](const WedgeMerge& m) { return m.from == merge.from && m.to == merge.to; });
            if (known != plan.merges.begin() + static_cast<long>(plan.mergeCount)) continue;
            if (plan.mergeCount == kMostMerges) return false;
            plan.merges[plan.mergeCount++] = merge;
        }
    }
    const auto hasOnePartner = [&](std::uint32_t wedge, std::uint32_t WedgeMerge::*side) {
        const auto all = plan.all();
        return std::count_if(all.begin(), all.end(),
                             [&](const WedgeMerge& m) { return m.*side == wedge; }) == 1;
    };
    const auto canMove = [&](std::uint32_t position, std::uint32_t WedgeMerge::*side) {
        if (flags_[position] & Locked) return false;
        if ((flags_[position] & Border) && onEdge != 1) return false;
        for (const std::uint32_t corner : cornersOf(position))
            if (isAlive(corner) && !hasOnePartner(corners_[corner], side)) return false;
        return true;
    };
    if (onEdge == 0 || onEdge > 2) return false;
    if (crossesNow_) {
        pMoves = pairLeftOver(p, q, plan);
        qMoves = false;
        return pMoves && canMove(p, &WedgeMerge::from);
    }
    pMoves = canMove(p, &WedgeMerge::from);
    qMoves = canMove(q, &WedgeMerge::to);
    return pMoves || qMoves;
}

/// Gives each wedge at p one at q to go to: that of a triangle on the edge, or else the one that
/// is most like it. False if one has none in its own material.
bool Reducer::pairLeftOver(std::uint32_t p, std::uint32_t q, Plan& plan) const {
    std::size_t kept = 0;  // one partner each
    for (std::size_t i = 0; i < plan.mergeCount; ++i) {
        const auto known =
            std::find_if(plan.merges.begin(), plan.merges.begin() + static_cast<long>(kept),
                         [&](const WedgeMerge& m) { return m.from == plan.merges[i].from; });
        if (known == plan.merges.begin() + static_cast<long>(kept))
            plan.merges[kept++] = plan.merges[i];
    }
    plan.mergeCount = kept;
    for (const std::uint32_t corner : cornersOf(p)) {
        if (!isAlive(corner)) continue;
        const std::uint32_t wedge = corners_[corner];
        const auto all = plan.all();
        if (std::any_of(all.begin(), all.end(),
                        [&](const WedgeMerge& m) { return m.from == wedge; }))
            continue;
        std::uint32_t best = kGone;
        float least = std::numeric_limits<float>::infinity();
        for (const std::uint32_t other : cornersOf(q)) {
            if (!isAlive(other) || log_.partOf(corners_[other]) != log_.partOf(wedge)) continue;
            const float apart = metric_.difference(wedge, corners_[other]);
            if (apart >= least) continue;
            least = apart;
            best = corners_[other];
        }
        if (best == kGone || plan.mergeCount == kMostMerges) return false;
        plan.merges[plan.mergeCount++] = {wedge, best};
    }
    return true;
}

void Reducer::choosePlace(std::uint32_t p, std::uint32_t q, bool pMoves, bool qMoves,
                          Plan& plan) const {
    const auto turn = [&] {
        for (std::size_t i = 0; i < plan.mergeCount; ++i)
            std::swap(plan.merges[i].from, plan.merges[i].to);
        std::swap(plan.from, plan.to);
    };
    plan.from = p;
    plan.to = q;
    plan.fit = pMoves && qMoves && placement_ == Placement::Optimal;
    if (plan.fit) {
        plan.joined = metric_.together(p, q, plan.all());
        // The vertex that is nearer gives what the metric does not look at.
        const Vec3f other = metric_.place(p) - metric_.place(q);
        if (plan.joined.offset.squaredNorm() <= (plan.joined.offset - other).squaredNorm()) return;
        turn();
        plan.joined = metric_.together(q, p, plan.all());
        return;
    }
    if (pMoves) plan.joined = metric_.onto(p, q, plan.all());
    if (!qMoves) return;
    const ErrorMetric::Joined first = plan.joined;
    turn();
    plan.joined = metric_.onto(q, p, plan.all(), pMoves ? first.cost : kNever);
    if (!pMoves || plan.joined.cost < first.cost) return;
    turn();
    plan.joined = first;
}

bool Reducer::plan(std::uint32_t corner, Plan& plan) const {
    const std::uint32_t p = positionAt(corner);
    const std::uint32_t q = positionAt(nextCorner(corner));
    bool pMoves = true;
    bool qMoves = true;
    if ((flags_[p] | flags_[q]) == 0) {
        plan.merges[0] = {corners_[corner], corners_[nextCorner(corner)]};
        plan.mergeCount = 1;
    } else if (!pairWedges(p, q, plan, pMoves, qMoves)) {
        return false;
    }
    choosePlace(p, q, pMoves, qMoves, plan);
    return true;
}

/// Link condition (Dey et al. 1999): the ends share no other neighbours than the tips of the
/// triangles on their edge.
bool Reducer::keepsTopology(std::uint32_t p, std::uint32_t q) {
    stamp_ += 2;
    std::size_t onEdge = 0;
    std::size_t triangles = 0;
    for (const std::uint32_t corner : cornersOf(p)) {
        if (!isAlive(corner)) continue;
        ++triangles;
        for (const std::uint32_t other : {nextCorner(corner), previousCorner(corner)}) {
            const std::uint32_t neighbour = positionAt(other);
            onEdge += neighbour == q;
            mark_[neighbour] = stamp_;
        }
    }
    std::size_t shared = 0;
    for (const std::uint32_t corner : cornersOf(q)) {
        if (!isAlive(corner)) continue;
        ++triangles;
        for (const std::uint32_t other : {nextCorner(corner), previousCorner(corner)}) {
            std::uint32_t& mark = mark_[positionAt(other)];
            shared += mark == stamp_;
            mark = mark == stamp_ ? stamp_ + 1 : mark;  // once
        }
    }
    const bool onBorder = (flags_[p] | flags_[q]) & Border;
    // A single triangle would vanish, a tetrahedron fold flat.
    if (triangles <= 2 || (triangles <= 6 && onEdge == 2 && !onBorder)) return false;
    return onEdge > 0 && onEdge <= 2 && shared == onEdge;
}

/// True if no triangle at `moving` flips or thins out when that goes to `place`.
bool Reducer::keepsFacing(std::uint32_t moving, std::uint32_t other, const Vec3f& place) const {
    const Vec3f& from = metric_.place(moving);
    for (const std::uint32_t corner : cornersOf(moving)) {
        if (!isAlive(corner)) continue;
        const std::uint32_t b = positionAt(nextCorner(corner));
        const std::uint32_t c = positionAt(previousCorner(corner));
        if (b == other || c == other) continue;  // vanishes
        const Vec3f& pb = metric_.place(b);
        const Vec3f& pc = metric_.place(c);
        const Vec3f edge = pc - pb;
        const Vec3f before = edge.cross(from - pb);
        const Vec3f after = edge.cross(place - pb);
        const float size = after.norm();
        if (!(size >= kFlatArea)) return false;
        if (after.dot(before) < kSmallestTurn * size * before.norm()) return false;
        if (after.dot(facing_[corner / 3]) < kSmallestTurn * size) return false;
        if (lossless_) continue;
        // Slivers turn any way: a face may become one only if it was a worse one.
        const float longest = std::max(
            edge.squaredNorm(), std::max((place - pb).squaredNorm(), (place - pc).squaredNorm()));
        if (size >= kThinnest * longest) continue;
        const float was = std::max(edge.squaredNorm(),
                                   std::max((from - pb).squaredNorm(), (from - pc).squaredNorm()));
        if (size * was < before.norm() * longest) return false;
    }
    return true;
}

/// A piece that goes leaves its area half its size away from what remains, more or less.
void Reducer::addDrops(std::vector<Candidate>& candidates) const {
    if (pieces_.size() < 2 || lossless_) return;
    for (std::uint32_t i = 0; i < pieces_.size(); ++i) {
        const Piece& piece = pieces_[i];
        const bool loose = piece.size < kLooseSize || crossesNow_;
        if (piece.dropped || piece.area > mostDropped_ || !loose) continue;
        candidates.emplace_back(piece.area * piece.size * piece.size / 4, i | kDropBit);
    }
}

bool Reducer::tryDrop(std::uint32_t index, double limit) {
    Piece& piece = pieces_[index];
    if (static_cast<double>(piece.size / 2) > limit) return false;
    piece.dropped = true;
    alive_ -= piece.triangles;
    deviation_ = std::max(deviation_, static_cast<double>(piece.size / 2) * unit_);
    log_.addDrop(index, alive_, deviation_);
    return true;
}

bool Reducer::tryCollapse(std::uint32_t corner, double limit) {
    if (!isAlive(corner) || isDropped(corner)) return false;
    const std::uint32_t p = positionAt(corner);
    const std::uint32_t q = positionAt(nextCorner(corner));
    if (touched_[p] == sweep_ || touched_[q] == sweep_) return false;
    Plan edge;
    if (plan(corner, edge) && isAllowed(edge, limit)) {
        collapse(edge);
        return true;
    }
    costs_[corner] = kBlocked;
    return false;
}

/// True if the triangle of a corner stays in its plane, and its attributes the same functions on
/// it, when the corner goes to where `wedge` is.
bool Reducer::continues(std::uint32_t corner, std::uint32_t wedge) const {
    const std::uint32_t own[] = {corners_[corner], corners_[nextCorner(corner)],
                                 corners_[previousCorner(corner)]};
    const Vec3d a = metric_.place(positionAt(corner)).cast<double>();
    const Vec3d b = metric_.place(positionAt(nextCorner(corner))).cast<double>();
    const Vec3d c = metric_.place(positionAt(previousCorner(corner))).cast<double>();
    const Vec3d to = metric_.place(log_.positionOf(wedge)).cast<double>();
    const Vec3d across = (b - a).cross(c - a);
    const double whole = across.squaredNorm();
    if (!(whole > 0)) return false;
    if (std::fabs((to - a).dot(across)) > kSamePlane * std::sqrt(whole)) return false;
    const double inB = (to - a).cross(c - a).dot(across) / whole;
    const double inC = (b - a).cross(to - a).dot(across) / whole;
    const double shares[] = {1 - inB - inC, inB, inC};
    const auto reach = static_cast<float>(std::fabs(shares[0]) + std::fabs(inB) + std::fabs(inC));
    const auto there = metric_.attributes(wedge);
    for (std::size_t k = 0; k < there.size(); ++k) {
        float value = 0;
        for (std::size_t i = 0; i < 3; ++i)
            value += static_cast<float>(shares[i]) * metric_.attributes(own[i])[k];
        if (!(std::fabs(value - there[k]) <= reach * tolerances_[k])) return false;
    }
    return true;
}

/// All triangles that stay continue, and together they cover what was covered before.
bool Reducer::losesNothing(const Plan& plan) const {
    if (plan.joined.distance > kSamePlane) return false;
    double before = 0;
    double after = 0;
    const auto area = [](const Vec3f& a, const Vec3f& b, const Vec3f& c) {
        return (b - a).cast<double>().cross((c - a).cast<double>()).norm();
    };
    for (const std::uint32_t corner : cornersOf(plan.from)) {
        if (!isAlive(corner)) continue;
        const std::uint32_t b = positionAt(nextCorner(corner));
        const std::uint32_t c = positionAt(previousCorner(corner));
        before += area(metric_.place(plan.from), metric_.place(b), metric_.place(c));
        if (b == plan.to || c == plan.to) continue;
        after += area(metric_.place(plan.to), metric_.place(b), metric_.place(c));
        const auto merges = plan.all();
        const auto merge = std::find_if(merges.begin(), merges.end(), [&](const WedgeMerge& m) {
            return m.from == corners_[corner];
        });
        if (merge == merges.end() || !continues(corner, merge->to)) return false;
    }
    return std::fabs(after - before) <= kSameArea * before;
}

bool Reducer::isAllowed(const Plan& plan, double limit) {
    if (static_cast<double>(plan.joined.distance) > limit) return false;
    if (lossless_ && !losesNothing(plan)) return false;
    const Vec3f place = metric_.place(plan.to) + plan.joined.offset;
    return keepsTopology(plan.from, plan.to) && keepsFacing(plan.from, plan.to, place) &&
           (!plan.fit || keepsFacing(plan.to, plan.from, place));
}

void Reducer::collapse(const Plan& plan) {
    for (const std::uint32_t corner : cornersOf(plan.from)) {
        if (!isAlive(corner)) continue;
        const bool vanishes = positionAt(nextCorner(corner)) == plan.to ||
                              positionAt(previousCorner(corner)) == plan.to;
        if (vanishes) {
            corners_[corner] = corners_[nextCorner(corner)] = corners_[previousCorner(corner)] =
                kGone;
            --alive_;
            if (pieces_.size() > 1) --pieces_[log_.pieceOf(plan.to)].triangles;
            continue;
        }
        positions_[corner] = plan.to;
        costs_[corner] = costs_[previousCorner(corner)] = kUnknown;
        for (const WedgeMerge& merge : plan.all())
            if (merge.from == corners_[corner]) {
                corners_[corner] = merge.to;
                break;
            }
    }
    metric_.join(plan.from, plan.to, plan.all(), plan.joined.offset, plan.fit);
    flags_[plan.to] |= flags_[plan.from];
    touched_[plan.from] = touched_[plan.to] = sweep_;
    deviation_ = std::max(deviation_, static_cast<double>(plan.joined.distance) * unit_);
    log_.add(plan.from, plan.to, plan.all(), alive_, deviation_);
    if (plan.fit) log_.moved(metric_);
}

}  // namespace flentro
