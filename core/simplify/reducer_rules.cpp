// What it means that one vertex joins another, and whether it may.

#include <algorithm>
#include <cmath>

#include "geometry/barycentric.h"
#include "simplify/reducer.h"

namespace flentro {
namespace {

/// Cosine of the largest turn of a face, in one collapse and in all: about 78 degrees.
constexpr double kSmallestTurn = 0.2;

constexpr double kFlat{kFlatArea};

/// Faces whose height is less than this share of their longest edge are slivers.
constexpr double kThinnest = 0.01;

/// What counts as the same where nothing may be lost, as a share of the area.
constexpr double kSameArea = 1e-5;

double longestSquare(const Vec3f& a, const Vec3f& b, const Vec3f& c) {
    return static_cast<double>(std::max({a.squaredNorm(), b.squaredNorm(), c.squaredNorm()}));
}

/// Of two directions by their scalar product and squared lengths.
bool turnsTooFar(double product, double square1, double square2) {
    return product <= 0 || product * product < kSmallestTurn * kSmallestTurn * square1 * square2;
}

}  // namespace

/// Pairs the wedges at both ends by the triangles on the edge. A vertex can move onto another
/// if each of its wedges has one to go to: otherwise it would have to cross a seam or material
/// border. False if `from` cannot; `bothMove` becomes false if `to` cannot.
bool Reducer::pairWedges(Plan& plan, bool& bothMove) const {
    const bool several = (flags_[plan.from] | flags_[plan.to]) & Several;
    plan.mergeCount = 0;
    std::size_t onEdge = 0;
    for (const Corner corner : fans_.at(plan.from)) {
        for (const Corner other : {nextCorner(corner), previousCorner(corner)}) {
            if (fans_.vertexAt(other) != plan.to) continue;
            ++onEdge;
            if (!several && onEdge > 1) continue;
            const WedgeMerge merge{fans_.wedgeAt(corner), fans_.wedgeAt(other)};
            const auto known = std::find_if(
                plan.merges.begin(), plan.merges.begin() + static_cast<long>(plan.mergeCount),
                [&](const WedgeMerge& m) { return m.from == merge.from && m.to == merge.to; });
            if (known != plan.merges.begin() + static_cast<long>(plan.mergeCount)) continue;
            if (plan.mergeCount == kMaxMerges) return false;
            plan.merges[plan.mergeCount++] = merge;
        }
    }
    const auto hasOnePartner = [&](std::uint32_t wedge, std::uint32_t WedgeMerge::*side) {
        const auto all = plan.all();
        return std::count_if(all.begin(), all.end(),
                             [&](const WedgeMerge& m) { return m.*side == wedge; }) == 1;
    };
    const auto canMove = [&](std::uint32_t vertex, std::uint32_t WedgeMerge::*side) {
        if (flags_[vertex] & Locked) return false;
        if ((flags_[vertex] & Border) && onEdge != 1) return false;
        if (!several) return true;
        for (const Corner corner : fans_.at(vertex))
            if (!hasOnePartner(fans_.wedgeAt(corner), side)) return false;
        return true;
    };
    if (onEdge == 0 || onEdge > 2) return false;
    bothMove = bothMove && canMove(plan.to, &WedgeMerge::to);
    if (canMove(plan.from, &WedgeMerge::from)) return true;
    bothMove = false;
    return crossSeams_ && pairLeftOver(plan) && canMove(plan.from, &WedgeMerge::from);
}

/// Gives each wedge one to go to: that of a triangle on the edge, or else the one that is most like
/// it. False if one has none in its own material.
bool Reducer::pairLeftOver(Plan& plan) const {
    std::size_t kept = 0;  // one partner each
    for (std::size_t i = 0; i < plan.mergeCount; ++i) {
        const auto known =
            std::find_if(plan.merges.begin(), plan.merges.begin() + static_cast<long>(kept),
                         [&](const WedgeMerge& m) { return m.from == plan.merges[i].from; });
        if (known == plan.merges.begin() + static_cast<long>(kept))
            plan.merges[kept++] = plan.merges[i];
    }
    plan.mergeCount = kept;
    for (const Corner corner : fans_.at(plan.from)) {
        const std::uint32_t wedge = fans_.wedgeAt(corner);
        const auto all = plan.all();
        if (std::any_of(all.begin(), all.end(),
                        [&](const WedgeMerge& m) { return m.from == wedge; }))
            continue;
        std::uint32_t best = kGone;
        float least = std::numeric_limits<float>::infinity();
        for (const Corner other : fans_.at(plan.to)) {
            const std::uint32_t there = fans_.wedgeAt(other);
            if (log_.names().partOf(nameOf(there)) != log_.names().partOf(nameOf(wedge))) continue;
            const float apart = metric_.difference(wedge, there);
            if (apart >= least) continue;
            least = apart;
            best = there;
        }
        if (best == kGone || plan.mergeCount == kMaxMerges) return false;
        plan.merges[plan.mergeCount++] = {wedge, best};
    }
    return true;
}

/// Where both may go anywhere; the vertex that is nearer gives what the metric does not look at.
void Reducer::choosePosition(Plan& plan) const {
    plan.joined = metric_.together(plan.from, plan.to, plan.all());
    const Vec3f other = metric_.position(plan.from) - metric_.position(plan.to);
    if (plan.joined.offset.squaredNorm() <= (plan.joined.offset - other).squaredNorm()) return;
    for (std::size_t i = 0; i < plan.mergeCount; ++i)
        std::swap(plan.merges[i].from, plan.merges[i].to);
    std::swap(plan.from, plan.to);
    plan.joined.offset -= other;  // the same position, from the other end
}

bool Reducer::plan(std::uint32_t from, std::uint32_t to, Plan& plan) const {
    plan.from = from;
    plan.to = to;
    plan.placesNewVertex = placement_ == Placement::Optimal;
    if (((flags_[from] | flags_[to]) & kSpecial) == 0) {
        plan.merges[0] = {from, to};
        plan.mergeCount = 1;
    } else if (!pairWedges(plan, plan.placesNewVertex)) {
        return false;
    }
    if (!plan.placesNewVertex)
        plan.joined = metric_.onto(from, to, plan.all());
    else if (from < to)
        choosePosition(plan);
    else
        return false;  // the same as the other way round
    return true;
}

/// Link condition (Dey et al. 1999): the ends share no other neighbours than the tips of the
/// triangles on their edge.
bool Reducer::keepsTopology(const Star& p, const Star& q) {
    constexpr auto kUnmarked = static_cast<std::uint8_t>(~Marked);
    // Triangles are met twice, at both ends of each, where neighbours are asked for both ways.
    const std::size_t meetings = flags_[p.vertex] & BothWays ? 2 : 1;
    std::size_t met = 0;
    forEachNeighbour(p, [&](std::uint32_t neighbour) {
        met += neighbour == q.vertex;
        flags_[neighbour] |= Marked;
    });
    std::size_t shared = 0;
    forEachNeighbour(q, [&](std::uint32_t neighbour) {
        shared += (flags_[neighbour] & Marked) != 0;
        flags_[neighbour] &= kUnmarked;
    });
    forEachNeighbour(p, [&](std::uint32_t neighbour) { flags_[neighbour] &= kUnmarked; });
    const std::size_t onEdge = 2 * met / meetings;
    const std::size_t triangles = p.incident.size() + q.incident.size();
    const bool onBorder = (flags_[p.vertex] | flags_[q.vertex]) & Border;
    // A single triangle would vanish, a tetrahedron fold flat.
    if (triangles <= 2 || (triangles <= 6 && onEdge == 2 && !onBorder)) return false;
    return onEdge > 0 && onEdge <= 2 && shared == onEdge;
}

/// True if no triangle at `moving` flips or thins out when that goes to `position`.
bool Reducer::keepsFacing(const Star& moving, std::uint32_t other, const Vec3f& position) const {
    const Vec3f& from = metric_.position(moving.vertex);
    for (const auto& [corner, b, c] : moving.incident) {
        if (b == other || c == other) continue;  // vanishes
        const Vec3f& pb = metric_.position(b);
        const Vec3f& pc = metric_.position(c);
        const Vec3f edge = pc - pb;
        const Vec3f before = edge.cross(from - pb);
        const Vec3f after = edge.cross(position - pb);
        const double size = static_cast<double>(after.squaredNorm());
        const double was = static_cast<double>(before.squaredNorm());
        if (!(size >= kFlat * kFlat)) return false;
        if (turnsTooFar(static_cast<double>(after.dot(before)), size, was)) return false;
        const Vec3f facing = fans_.facing(corner);
        if (turnsTooFar(static_cast<double>(after.dot(facing)), size,
                        static_cast<double>(facing.squaredNorm())))
            return false;
        if (lossless_) continue;
        // Slivers turn any way: a face may become one only if it was a worse one.
        const double longest = longestSquare(edge, position - pb, position - pc);
        if (size >= kThinnest * kThinnest * longest * longest) continue;
        const double longestBefore = longestSquare(edge, from - pb, from - pc);
        if (size * longestBefore * longestBefore < was * longest * longest) return false;
    }
    return true;
}

/// True if the triangle of a corner stays in its plane, and its attributes the same functions on
/// it, when the corner goes to where `wedge` is.
bool Reducer::attributesStayLinear(Corner corner, std::uint32_t wedge) const {
    const std::uint32_t own[] = {fans_.wedgeAt(corner), fans_.wedgeAt(nextCorner(corner)),
                                 fans_.wedgeAt(previousCorner(corner))};
    const auto placeOf = [&](std::uint32_t w) -> Vec3d {
        return metric_.position(fans_.vertexOf(w)).cast<double>();
    };
    const Vec3d a = placeOf(own[0]);
    const Vec3d b = placeOf(own[1]);
    const Vec3d c = placeOf(own[2]);
    const Vec3d to = placeOf(wedge);
    const Vec3d across = (b - a).cross(c - a);
    const double whole = across.squaredNorm();
    if (!(whole > 0)) return false;
    if (std::fabs((to - a).dot(across)) > kSamePlane * std::sqrt(whole)) return false;
    const Vec3d weights = barycentric(a, b, c, to);
    const auto reach = static_cast<float>(weights.lpNorm<1>());
    const auto there = metric_.attributes(wedge);
    for (std::size_t k = 0; k < there.size(); ++k) {
        float value = 0;
        for (int i = 0; i < 3; ++i)
            value += static_cast<float>(weights[i]) * metric_.attributes(own[i])[k];
        if (!(std::fabs(value - there[k]) <= reach * tolerances_[k])) return false;
    }
    return true;
}

Reducer::StarPlanes Reducer::planesAt(std::uint32_t vertex) const {
    StarPlanes star;
    const Vec3d at = metric_.position(vertex).cast<double>();
    for (const Corner corner : fans_.at(vertex)) {
        if (star.count == star.planes.size()) break;
        const std::uint32_t next = fans_.vertexAt(nextCorner(corner));
        const std::uint32_t previous = fans_.vertexAt(previousCorner(corner));
        const Vec3d normal = (metric_.position(next).cast<double>() - at)
                                 .cross(metric_.position(previous).cast<double>() - at);
        star.planes[star.count++] = {normal.normalized(), next, previous};
    }
    return star;
}

/// True if some triangle that stays would turn out of its plane: what isLossless() refuses as well,
/// told before anything is planned.
bool Reducer::leavesPlanes(const StarPlanes& star, std::uint32_t from, std::uint32_t to) const {
    constexpr double kLeft = 1.001 * static_cast<double>(kSamePlane);
    const Vec3d shift = (metric_.position(to) - metric_.position(from)).cast<double>();
    return std::any_of(star.planes.begin(), star.planes.begin() + static_cast<long>(star.count),
                       [&](const StarPlanes::Plane& plane) {
                           return plane.next != to && plane.previous != to &&
                                  std::fabs(shift.dot(plane.normal)) > kLeft;
                       });
}

/// All triangles that stay continue, and together they cover what was covered before.
bool Reducer::isLossless(const Star& from, const Plan& plan) const {
    if (plan.joined.distance() > kSamePlane) return false;
    double before = 0;
    double after = 0;
    const auto area = [](const Vec3f& a, const Vec3f& b, const Vec3f& c) {
        return (b - a).cast<double>().cross((c - a).cast<double>()).norm();
    };
    for (const auto& [corner, b, c] : from.incident) {
        before += area(metric_.position(plan.from), metric_.position(b), metric_.position(c));
        if (b == plan.to || c == plan.to) continue;
        after += area(metric_.position(plan.to), metric_.position(b), metric_.position(c));
        const auto merges = plan.all();
        const auto merge = std::ranges::find(merges, fans_.wedgeAt(corner), &WedgeMerge::from);
        if (merge == merges.end() || !attributesStayLinear(corner, merge->to)) return false;
    }
    return std::fabs(after - before) <= kSameArea * before;
}

/// Leaves the stars of both ends with the block.
bool Reducer::isAllowed(Block& block, const Plan& plan, double limit) {
    if (static_cast<double>(plan.joined.distance()) > limit) return false;
    fans_.gatherOneRing(plan.from, block.from);
    fans_.gatherOneRing(plan.to, block.to);
    if (lossless_ && !isLossless(block.from, plan)) return false;
    const Vec3f position = metric_.position(plan.to) + plan.joined.offset;
    return keepsTopology(block.from, block.to) && keepsFacing(block.from, plan.to, position) &&
           (!plan.placesNewVertex || keepsFacing(block.to, plan.from, position));
}

}  // namespace flentro
