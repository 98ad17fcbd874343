// The order in which vertices are joined: sweeps over blocks of them.

#include <algorithm>
#include <atomic>
#include <cmath>
#include <numeric>

#include "base/parallel.h"
#include "simplify/cost_key.h"
#include "simplify/reducer.h"

namespace flentro {
namespace {

/// Of all moves there are, the cheapest that one sweep takes: the more, the faster and the farther
/// from the order of costs. Of a single block, which stays in the cache; and towards the end, as a
/// share of the triangles that are left to go.
constexpr double kSweepShare = 0.4;
constexpr double kAloneShare = 0.2;
constexpr double kLastShare = 0.5;
/// Of so many bounds about one turns out to be no dearer than it was.
constexpr std::uint32_t kBoundsForOne = 5;
/// So few are not worth dividing.
constexpr unsigned kOneBlockBits = kBlockBits + 1;

constexpr std::uint32_t kBlockedKey = costKey(std::numeric_limits<float>::infinity());

bool isUnknown(float cost) {
    return cost == 0 && std::signbit(cost);
}

/// In parts of a move that is likely.
std::uint32_t weightOf(float cost) {
    return std::signbit(cost) ? 1 : kBoundsForOne;
}

}  // namespace

// --- what vertices can do -----------------------------------------------------------------

/// True if more than two wedges meet: the two triangles of an edge cannot lead them all elsewhere.
bool Reducer::isCorner(std::uint32_t vertex) const {
    if (!(flags_[vertex] & Several)) return false;
    const Fans::Range fan = fans_.at(vertex);
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
    if (flags_[from] & (Locked | Gone) || (!crossSeams_ && isCorner(from))) return best;
    const bool mayBePlain = isPlain(from, from);
    const StarPlanes planes = lossless_ ? planesAt(from) : StarPlanes{};
    Plan scratch;
    forEachNeighbour(from, [&](std::uint32_t to) {
        if (lossless_ && leavesPlanes(planes, from, to)) return;
        float cost = 0;
        if (mayBePlain && !(flags_[to] & kSpecial)) {
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

void Reducer::evaluate(std::uint32_t vertex) {
    const Move move = cheapestMove(vertex);
    costs_[vertex] = move.cost;
    targets_[vertex] = move.to;
}

/// Computes the costs that are not known at all: by all cores.
void Reducer::evaluateUnknown() {
    std::vector<std::uint32_t> unknown;
    for (std::uint32_t p = 0; p < costs_.size(); ++p)
        if (isUnknown(costs_[p])) unknown.push_back(p);
    parallelRanges(unknown.size(), kBlock, [&](std::size_t begin, std::size_t end) {
        for (std::size_t i = begin; i < end; ++i) evaluate(unknown[i]);
    });
}

// --- sweeps -------------------------------------------------------------------------------

/// What about `wanted` moves cost at the most, but no more than a share of all there are.
void Reducer::setDearest(std::size_t wanted, double share) {
    std::vector<std::uint32_t>& counts = keyCounts_;  // All 0.
    std::size_t all = 0;
    for (const float cost : costs_) {
        const std::uint32_t key = costKey(cost);
        if (key >= kBlockedKey) continue;
        counts[key] += weightOf(cost);
        all += weightOf(cost);
    }
    const std::size_t most = std::min(kBoundsForOne * wanted,
                                      static_cast<std::size_t>(share * static_cast<double>(all)));
    costThreshold_ = 0;
    std::size_t found = counts[0];
    while (found < most) found += counts[++costThreshold_];  // most <= all
    for (const float cost : costs_) counts[costKey(cost)] = 0;
    // Where many cost the same there may be more.
    budgetShare_ = std::min(1.0, static_cast<double>(most + 1) / static_cast<double>(found + 1)) /
                   kBoundsForOne;
}

/// [blocks] How many collapses each may do, so that detail goes evenly: as one makes room for the
/// next, some would take all. Whole numbers, no more in all than the sweep wants.
std::vector<double> Reducer::blockBudgets() const {
    std::vector<double> result;
    std::size_t weight = 0;
    double before = 0;
    for (std::uint32_t block = 0; block < blockCount(); ++block) {
        for (std::uint32_t p = beginOf(block); p < beginOf(block + 1); ++p)
            if (costKey(costs_[p]) <= costThreshold_ && takes(Pass::Inside, p, targets_[p]))
                weight += weightOf(costs_[p]);
        const double after = std::floor(budgetShare_ * static_cast<double>(weight));
        result.push_back(after - before);
        before = after;
    }
    return result;
}

/// One round of collapses. Returns how many there were.
std::size_t Reducer::sweep(const Goal& goal) {
    if (dropsNow_) removeDropped();
    if (static_cast<double>(left_) < kSparse * static_cast<double>(costs_.size())) renumber();
    evaluateUnknown();
    const auto wanted = std::max(
        std::size_t{1},
        static_cast<std::size_t>(kLastShare * static_cast<double>(alive_ - goal.triangles)));
    std::size_t collapses = 0;
    double share = blockCount() > 1 ? kSweepShare : kAloneShare;
    while (collapses == 0 && !goal.progress.cancelled()) {
        setDearest(wanted, share);
        std::vector<CollapseBatch> inside;
        bool evaluated = false;
        if (blockCount() > 1) evaluated = sweepInside(goal, inside);
        CollapseBatch rest(log_.attributeCount());
        const Pass pass = blockCount() > 1 ? Pass::Outside : Pass::All;
        evaluated = sweepAlone(pass, goal, rest) || evaluated;
        collapses = commitSweep(inside, rest);
        for (const auto& [cost, piece] : drops(costThreshold_))
            if (alive_ > goal.triangles) collapses += tryDrop(piece, goal.limit);
        // Dearer moves only when none of the cheapest could be carried out.
        if (evaluated) continue;
        if (share >= 1) break;
        share = std::min(2 * share, 1.0);
    }
    // Nothing else is possible: the cheapest piece alone, which makes no room for others.
    if (collapses == 0 && dropsLarge_ && !goal.progress.cancelled())
        for (const auto& [cost, piece] : drops(kBlockedKey))
            if (tryDrop(piece, goal.limit)) return 1;
    return collapses;
}

/// All blocks at the same time: as none touches what another looks at, the outcome is the same
/// for any number of cores. Returns true if some bound became a cost.
bool Reducer::sweepInside(const Goal& goal, std::vector<CollapseBatch>& batches) {
    const std::vector<double> allowed = blockBudgets();
    batches.assign(allowed.size(), CollapseBatch(log_.attributeCount()));
    std::atomic<bool> evaluated = false;
    parallelEach(allowed.size(), [&](std::size_t i) {
        if (goal.progress.cancelled()) return;
        Block block(Pass::Inside, std::move(batches[i]), {});
        block.number = static_cast<std::uint32_t>(i);
        block.allowed = allowed[i];
        block.batch.reserve(static_cast<std::size_t>(allowed[i]));
        sweepBlock(block, goal);
        batches[i] = std::move(block.batch);
        if (block.evaluated) evaluated = true;
    });
    for (const CollapseBatch& batch : batches) alive_ -= batch.triangles;
    return evaluated;
}

/// One block after the other. Returns true if some bound became a cost.
bool Reducer::sweepAlone(Pass pass, const Goal& goal, CollapseBatch& batch) {
    Block block(pass, std::move(batch), std::move(queue_));
    for (; block.number < blockCount() && !goal.progress.cancelled(); ++block.number)
        sweepBlock(block, goal);
    batch = std::move(block.batch);
    queue_ = std::move(block.queue);
    alive_ -= batch.triangles;
    return block.evaluated;
}

/// Files a sweep's collapses. Returns how many there were.
std::size_t Reducer::commitSweep(const std::vector<CollapseBatch>& inside,
                                 const CollapseBatch& rest) {
    std::size_t collapses = rest.steps.size();
    for (const CollapseBatch& batch : inside) collapses += batch.steps.size();
    if (collapses == 0) return 0;
    left_ -= collapses;
    log_.add(inside, rest);
    std::fill(bucketKeys_.begin(), bucketKeys_.end(), std::uint16_t{0});
    return collapses;
}

/// Vertices are looked at again as soon as they may cost no more than the sweep's dearest.
void Reducer::enqueue(Block& block, std::uint32_t vertex) {
    if (costKey(costs_[vertex]) > costThreshold_ || blockOf(vertex) != block.number) return;
    if (block.pass == Pass::Inside && flags_[vertex] & BlockBoundary) return;
    block.queue.push(costs_[vertex], vertex);
}

/// The vertices whose moves may cost no more than the sweep's dearest. As among equals the first
/// come first, they come evenly from all of the block: one of eight, then another ...
void Reducer::seedQueue(Block& block) {
    for (const std::uint32_t offset : {0U, 4U, 2U, 6U, 1U, 5U, 3U, 7U})
        for (std::uint32_t p = beginOf(block.number) + offset; p < beginOf(block.number + 1);
             p += 8) {
            if (costKey(costs_[p]) > costThreshold_ || !takes(block.pass, p, targets_[p])) continue;
            if (block.pass != Pass::Inside) block.allowed += budgetShare_ * weightOf(costs_[p]);
            block.queue.push(costs_[p], p);
        }
}

/// Collapses in one block what costs no more than the sweep's dearest, the cheapest first, up to
/// what it is allowed.
void Reducer::sweepBlock(Block& block, const Goal& goal) {
    seedQueue(block);
    const auto mayGoOn = [&] {
        // Allowances of blocks side by side do not come to more than the goal.
        return static_cast<double>(block.batch.steps.size()) < block.allowed &&
               (block.pass == Pass::Inside || alive_ > goal.triangles + block.batch.triangles);
    };
    while (mayGoOn()) {
        const auto next = block.queue.pop();
        if (!next) break;
        const auto [key, p] = *next;
        if (key != costKey(costs_[p])) continue;  // of before
        if (std::signbit(costs_[p])) {
            evaluate(p);
            enqueue(block, p);
            block.evaluated = true;
        } else if (block.pass != Pass::Inside || staysInside(p, targets_[p])) {
            tryMove(block, p, goal.limit);
        }
    }
    block.queue.clear();
}

/// Divides the vertices into blocks and marks the vertices of triangles that lie in several.
void Reducer::findBlocks() {
    blockBits_ = flags_.size() > std::size_t{1} << kOneBlockBits ? kBlockBits : kOneBlockBits;
    for (std::uint8_t& flags : flags_) flags = static_cast<std::uint8_t>(flags & ~BlockBoundary);
    for (Corner corner = 0; blockCount() > 1 && corner < fans_.end(); corner += Fans::kStride) {
        if (!fans_.isAlive(corner)) continue;
        const std::uint32_t a = fans_.vertexAt(corner);
        const std::uint32_t b = fans_.vertexAt(corner + 1);
        const std::uint32_t c = fans_.vertexAt(corner + 2);
        if (blockOf(a) == blockOf(b) && blockOf(b) == blockOf(c)) continue;
        for (const std::uint32_t p : {a, b, c}) flags_[p] |= BlockBoundary;
    }
}

/// As a vertex joins another, that gets neighbours of other blocks, and they get it.
void Reducer::widenBoundaries(const Block& block) {
    const std::uint32_t to = block.to.vertex;
    for (const IncidentCorner& incident : block.from.incident)
        for (const std::uint32_t p : {incident.next, incident.previous}) {
            if (blockOf(p) == blockOf(to)) continue;
            flags_[p] |= BlockBoundary;
            flags_[to] |= BlockBoundary;
        }
}

/// The cheapest move of a vertex, or if that is not allowed another that costs no more than the
/// sweep's dearest.
void Reducer::tryMove(Block& block, std::uint32_t from, double limit) {
    if (isDropped(from)) return;
    Plan move;
    if (plan(from, targets_[from], move) && isAllowed(block, move, limit))
        collapse(block, move);
    else
        tryOthers(block, from, limit);
}

void Reducer::tryOthers(Block& block, std::uint32_t from, double limit) {
    auto& others = block.others;
    others.clear();
    const StarPlanes planes = lossless_ ? planesAt(from) : StarPlanes{};
    Plan move;
    forEachNeighbour(from, [&](std::uint32_t to) {
        if (to == targets_[from] || (lossless_ && leavesPlanes(planes, from, to))) return;
        if (plan(from, to, move)) others.push_back({move.joined.cost, to});
    });
    std::sort(others.begin(), others.end());
    costs_[from] = kBlocked;
    for (const auto& [cost, to] : others) {
        if (costKey(cost) > costThreshold_ ||
            (block.pass == Pass::Inside && !staysInside(from, to))) {
            costs_[from] = -cost;
            targets_[from] = to;
            return;
        }
        if (!plan(from, to, move) || !isAllowed(block, move, limit)) continue;
        return collapse(block, move);
    }
}

// --- collapses ----------------------------------------------------------------------------

/// To follow isAllowed().
void Reducer::collapse(Block& block, const Plan& plan) {
    const std::uint16_t key = bucketKeys_[plan.to] = bucketKeyOf(block, plan.joined.cost);
    const std::size_t triangles = removeBetween(block);
    for (const IncidentCorner& incident : block.from.incident)
        for (const WedgeMerge& merge : plan.all())
            if (merge.from == fans_.wedgeAt(incident.corner)) {
                fans_.setWedge(incident.corner, merge.to);
                break;
            }
    if (pieces_.size() > 1)
        std::atomic_ref(pieces_[pieceOf(plan.to)].triangles)
            .fetch_sub(triangles, std::memory_order_relaxed);
    metric_.join(plan.from, plan.to, plan.all(), plan.joined.offset, plan.placesNewVertex);
    flags_[plan.to] |= static_cast<std::uint8_t>(flags_[plan.from] & ~BlockBoundary);
    flags_[plan.from] |= Gone;
    if (block.pass == Pass::Outside) widenBoundaries(block);
    record(block, plan, triangles, key);
    updateCosts(block, plan);
    fans_.join(block.from, block.to);
}

/// Takes the triangles on the edge between the two stars out of both. Returns how many.
std::size_t Reducer::removeBetween(Block& block) {
    const std::uint32_t to = block.to.vertex;
    for (const IncidentCorner& incident : block.from.incident)
        if (incident.next == to || incident.previous == to) fans_.remove(incident.corner);
    const auto isGone = [&](const IncidentCorner& incident) {
        return !fans_.isAlive(incident.corner);
    };
    std::erase_if(block.to.incident, isGone);
    return std::erase_if(block.from.incident, isGone);
}

/// No less than those of collapses before it around its vertices, on which it depends: others may
/// come later in the log.
std::uint16_t Reducer::bucketKeyOf(const Block& block, float cost) const {
    std::uint16_t key = bucketKey(cost);
    const auto mind = [&](std::uint32_t p) { key = std::max(key, bucketKeys_[p]); };
    forEachNeighbour(block.from, mind);
    forEachNeighbour(block.to, mind);
    return key;
}

/// Notes it down by the names that wedges have in the log.
void Reducer::record(Block& block, const Plan& plan, std::size_t triangles, std::uint16_t key) {
    std::array<WedgeMerge, kMaxMerges> merges;
    for (std::size_t i = 0; i < plan.mergeCount; ++i)
        merges[i] = {nameOf(plan.merges[i].from), nameOf(plan.merges[i].to)};
    CollapseStep step{{merges.data(), plan.mergeCount},
                      triangles,
                      static_cast<float>(static_cast<double>(plan.joined.distance()) * unit_),
                      {},
                      {}};
    if (plan.placesNewVertex) {
        block.attributes.clear();
        for (const WedgeMerge& merge : plan.all()) {
            const auto values = metric_.attributes(merge.to);
            block.attributes.insert(block.attributes.end(), values.begin(), values.end());
        }
        step.position = metric_.position(plan.to);
        step.attributes = block.attributes;
    }
    block.batch.add(step, key);
}

/// Costs only grow, so that what was the cheapest move of a vertex still is, unless it went to
/// one of the two or there is a cheaper one now. New are the moves between the joined vertex and
/// the neighbours of the one that is gone.
void Reducer::updateCosts(Block& block, const Plan& plan) {
    const std::uint32_t from = plan.from;
    const std::uint32_t to = plan.to;
    costs_[from] = kBlocked;
    costs_[to] = -std::fabs(costs_[to]);
    const auto grows = [&](std::uint32_t p) {
        if (costs_[p] == kBlocked)
            costs_[p] = flags_[p] & Locked ? kBlocked : kUnknown;  // may have become possible
        else if (targets_[p] == from || targets_[p] == to)
            costs_[p] = -std::fabs(costs_[p]);
    };
    forEachNeighbour(block.to, grows);
    forEachNeighbour(block.from, [&](std::uint32_t p) {
        grows(p);
        if (placement_ == Placement::Existing) {
            relax(block, p, to);
            relax(block, to, p);
        } else {
            relax(block, std::min(p, to), std::max(p, to));
        }
    });
    enqueue(block, to);
}

/// Minds a move that is new.
void Reducer::relax(Block& block, std::uint32_t from, std::uint32_t to) {
    float& known = costs_[from];
    const float most = std::fabs(known);
    float least = 0;
    if (placement_ == Placement::Existing) {
        if (metric_.leastOnto(to) >= most) return;  // the quickest to find out
        least = metric_.least(from, to);
    }
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
    enqueue(block, from);
}

}  // namespace flentro
