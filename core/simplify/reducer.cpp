#include "simplify/reducer.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace flentro {
namespace {

/// Open borders and seams are held by planes at right angles to the surface (Garland &
/// Heckbert 1997, section 6), this much stronger than the surface itself.
constexpr double kBorderWeight = 10;
constexpr double kSeamWeight = 1;

/// Cosine of the largest turn of a face in one collapse, about 78 degrees.
constexpr double kSmallestTurn = 0.2;

/// Faces with a smaller area, in squared units, have no direction.
constexpr double kFlatArea = 1e-14;

/// Keeps collapses on flat surfaces in an order that leaves well-shaped triangles.
constexpr double kLengthWeight = 1e-9;

constexpr std::size_t kCollapsesBetweenReports = 512;

std::vector<std::uint32_t> cornerPositions(const WedgeMesh& wedges) {
    std::vector<std::uint32_t> result(wedges.corners.size());
    for (std::size_t i = 0; i < result.size(); ++i)
        result[i] = wedges.wedgePosition[wedges.corners[i]];
    return result;
}

std::uint32_t nextCorner(std::uint32_t corner) {
    return corner / 3 * 3 + (corner + 1) % 3;
}

}  // namespace

Reducer::Reducer(const Mesh& mesh, const ReducerOptions& options)
    : mesh_(mesh),
      wedges_(takeApart(mesh, options.weights)),
      corners_(wedges_.corners),
      adjacency_(cornerPositions(wedges_), wedges_.positions.size()),
      queue_(wedges_.positions.size()),
      quadrics_(wedges_.positions.size()),
      attributeQuadrics_(wedges_.attributeCount > 0 ? wedges_.wedgeVertex.size() : 0),
      target_(wedges_.positions.size(), kNone),
      locked_(wedges_.positions.size()),
      border_(wedges_.positions.size()),
      alive_(wedges_.corners.size() / 3),
      mark_(wedges_.positions.size()) {
    buildQuadrics();
    const std::vector<Edge> edges = findEdges(cornerPositions(wedges_));
    for (const Edge& edge : edges) {
        if (edge.triangles > 2) locked_[edge.a] = locked_[edge.b] = true;
        if (edge.triangles != 1) continue;
        border_[edge.a] = border_[edge.b] = true;
        if (options.lockBorders) locked_[edge.a] = locked_[edge.b] = true;
    }
    addBorderQuadrics(edges);
    limit_ = std::numeric_limits<double>::infinity();
    for (std::uint32_t u = 0; u < wedges_.positions.size(); ++u) requeue(u);
}

// --- quadrics -----------------------------------------------------------------------------

Vec3d Reducer::faceNormal(std::uint32_t triangle) const {
    const auto& p = wedges_.positions;
    const Vec3d& a = p[adjacency_.position(3 * triangle)];
    const Vec3d& b = p[adjacency_.position(3 * triangle + 1)];
    const Vec3d& c = p[adjacency_.position(3 * triangle + 2)];
    return (b - a).cross(c - a);
}

void Reducer::buildQuadrics() {
    facing_.resize(alive_, Vec3f::Zero());
    for (std::uint32_t t = 0; t < alive_; ++t) {
        Vec3d normal = faceNormal(t);
        const double twiceArea = normal.norm();
        if (twiceArea < kFlatArea) continue;
        normal /= twiceArea;
        facing_[t] = normal.cast<float>();
        const Vec3d& anchor = wedges_.positions[adjacency_.position(3 * t)];
        for (std::uint32_t k = 0; k < 3; ++k)
            quadrics_[adjacency_.position(3 * t + k)].addPlane(normal, anchor, twiceArea / 6);
        if (wedges_.attributeCount > 0) addAttributeQuadrics(t);
    }
}

/// Hoppe 1999, section 4: the gradient that interpolates an attribute over the face.
void Reducer::addAttributeQuadrics(std::uint32_t triangle) {
    Vec3d p[3];
    const double* s[3];
    for (std::uint32_t k = 0; k < 3; ++k) {
        p[k] = wedges_.positions[adjacency_.position(3 * triangle + k)];
        s[k] = wedges_.attributesOf(corners_[3 * triangle + k]);
    }
    const Vec3d e1 = p[1] - p[0];
    const Vec3d e2 = p[2] - p[0];
    const Vec3d n = e1.cross(e2);
    const double size = n.squaredNorm();
    const double weight = std::sqrt(size) / 6;
    const Vec3d along1 = e2.cross(n) / size;
    const Vec3d along2 = n.cross(e1) / size;
    for (std::uint32_t k = 0; k < 3; ++k)
        attributeQuadrics_[corners_[3 * triangle + k]].weight += weight;
    for (int i = 0; i < wedges_.attributeCount; ++i) {
        const Vec3d g = (s[1][i] - s[0][i]) * along1 + (s[2][i] - s[0][i]) * along2;
        const double d = s[0][i] - g.dot(p[0]);
        for (std::uint32_t k = 0; k < 3; ++k)
            attributeQuadrics_[corners_[3 * triangle + k]].addGradient(i, g, d, weight);
    }
}

bool Reducer::isSeam(const Edge& edge) const {
    if (edge.triangles != 2) return false;
    const std::uint32_t c = edge.firstCorner;
    const std::uint32_t d = edge.secondCorner;
    const bool sameWay = adjacency_.position(c) == adjacency_.position(d);
    const std::uint32_t start = sameWay ? d : nextCorner(d);
    const std::uint32_t end = sameWay ? nextCorner(d) : d;
    return corners_[c] != corners_[start] || corners_[nextCorner(c)] != corners_[end];
}

void Reducer::addEdgePlane(const Edge& edge, double weight) {
    const Vec3d& a = wedges_.positions[edge.a];
    const Vec3d along = wedges_.positions[edge.b] - a;
    const Vec3d normal = along.cross(facing_[edge.firstCorner / 3].cast<double>());
    const double length = normal.norm();
    if (length <= 0) return;
    for (const std::uint32_t end : {edge.a, edge.b})
        quadrics_[end].addPlane(normal / length, a, weight * along.squaredNorm());
}

void Reducer::addBorderQuadrics(const std::vector<Edge>& edges) {
    for (const Edge& edge : edges) {
        if (edge.triangles == 1) addEdgePlane(edge, kBorderWeight);
        if (isSeam(edge)) addEdgePlane(edge, kSeamWeight);
    }
}

// --- choosing -----------------------------------------------------------------------------

void Reducer::neighbours(const std::vector<std::uint32_t>& corners, std::uint32_t centre,
                         std::vector<std::uint32_t>& out) {
    out.clear();
    ++stamp_;
    mark_[centre] = stamp_;
    for (const std::uint32_t corner : corners)
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t p = adjacency_.position(corner / 3 * 3 + k);
            if (mark_[p] == stamp_) continue;
            mark_[p] = stamp_;
            out.push_back(p);
        }
}

double Reducer::distance(std::uint32_t u, std::uint32_t v) const {
    Quadric sum = quadrics_[u];
    sum += quadrics_[v];
    return sum.weight > 0 ? std::sqrt(sum.error(wedges_.positions[v]) / sum.weight) : 0;
}

/// Error of the joined quadrics at v, with `moves_` filled in for the attributes.
double Reducer::costOf(std::uint32_t u, std::uint32_t v) const {
    const Vec3d& p = wedges_.positions[v];
    double cost = quadrics_[u].error(p) + quadrics_[v].error(p);
    cost += kLengthWeight * (wedges_.positions[u] - p).squaredNorm();
    if (wedges_.attributeCount == 0) return cost;
    for (const WedgeMove& move : moves_) {
        const double* s = wedges_.attributesOf(move.to);
        cost += attributeQuadrics_[move.from].error(p, s, wedges_.attributeCount);
        cost += attributeQuadrics_[move.to].error(p, s, wedges_.attributeCount);
    }
    return cost;
}

/// Each wedge at u goes to the wedge at v that a vanishing triangle links it with. A wedge
/// without such a link would have to cross a seam or material border: not allowed.
bool Reducer::findMoves(std::uint32_t u, std::uint32_t v) {
    moves_.clear();
    for (const std::uint32_t corner : ring_) {
        const std::uint32_t base = corner / 3 * 3;
        for (std::uint32_t k = 0; k < 3; ++k) {
            if (adjacency_.position(base + k) != v) continue;
            const WedgeMove move{corners_[corner], corners_[base + k]};
            const auto known = std::find_if(moves_.begin(), moves_.end(), [&](const WedgeMove& m) {
                return m.from == move.from;
            });
            if (known == moves_.end())
                moves_.push_back(move);
            else if (known->to != move.to)
                return false;
        }
    }
    for (const std::uint32_t corner : ring_) {
        const std::uint32_t wedge = corners_[corner];
        const bool linked = std::any_of(moves_.begin(), moves_.end(),
                                        [&](const WedgeMove& m) { return m.from == wedge; });
        if (!linked) return false;
    }
    return u != v && !moves_.empty();
}

/// Link condition (Dey et al. 1999): u and v share no other neighbours than the tips of the
/// triangles on their edge; and a border vertex moves along its border only.
bool Reducer::keepsTopology(std::uint32_t u, std::uint32_t v) {
    std::size_t onEdge = 0;
    for (const std::uint32_t corner : ring_)
        for (std::uint32_t k = 0; k < 3; ++k)
            if (adjacency_.position(corner / 3 * 3 + k) == v) ++onEdge;
    if (onEdge == 0 || onEdge > 2) return false;
    if (border_[u] && onEdge != 1) return false;
    if (!border_[u] && onEdge != 2) return false;
    adjacency_.cornersAt(v, otherRing_);
    // A single triangle would vanish, a tetrahedron fold flat.
    const std::size_t both = ring_.size() + otherRing_.size();
    if (both <= 2 || (both <= 6 && onEdge == 2 && !border_[v])) return false;
    neighbours(otherRing_, v, aroundOther_);
    std::size_t shared = 0;
    for (const std::uint32_t p : around_)
        if (p != v && mark_[p] == stamp_) ++shared;
    return shared == onEdge;
}

bool Reducer::keepsFacing(std::uint32_t u, std::uint32_t v) const {
    for (const std::uint32_t corner : ring_) {
        const std::uint32_t t = corner / 3;
        Vec3d now[3];
        bool vanishes = false;
        for (std::uint32_t k = 0; k < 3; ++k) {
            const std::uint32_t p = adjacency_.position(3 * t + k);
            vanishes = vanishes || p == v;
            now[k] = wedges_.positions[p == u ? v : p];
        }
        if (vanishes) continue;
        const Vec3d before = faceNormal(t);
        const Vec3d after = (now[1] - now[0]).cross(now[2] - now[0]);
        const double size = after.norm();
        if (size < kFlatArea) return false;
        if (after.dot(before) < kSmallestTurn * size * before.norm()) return false;
        if (after.dot(facing_[t].cast<double>()) < 0) return false;
    }
    return true;
}

bool Reducer::isAllowed(std::uint32_t u, std::uint32_t v) {
    return keepsTopology(u, v) && keepsFacing(u, v);
}

Reducer::Candidate Reducer::bestTarget(std::uint32_t u) {
    Candidate best{kNone, std::numeric_limits<double>::infinity()};
    if (locked_[u]) return best;
    adjacency_.cornersAt(u, ring_);
    neighbours(ring_, u, around_);
    for (const std::uint32_t v : around_) {
        if (!findMoves(u, v)) continue;
        const double cost = costOf(u, v);
        if (cost >= best.cost || distance(u, v) > limit_) continue;
        if (isAllowed(u, v)) best = {v, cost};
    }
    return best;
}

void Reducer::requeue(std::uint32_t u) {
    const Candidate best = bestTarget(u);
    target_[u] = best.target;
    if (best.target == kNone)
        queue_.remove(u);
    else
        queue_.set(u, best.cost);
}

// --- collapsing ---------------------------------------------------------------------------

void Reducer::collapse(std::uint32_t u, std::uint32_t v) {
    deviation_ = std::max(deviation_, distance(u, v));
    for (const std::uint32_t corner : ring_) {
        const std::uint32_t t = corner / 3;
        bool vanishes = false;
        for (std::uint32_t k = 0; k < 3; ++k) vanishes |= adjacency_.position(3 * t + k) == v;
        if (vanishes) {
            adjacency_.removeTriangle(t);
            --alive_;
            continue;
        }
        for (const WedgeMove& move : moves_)
            if (move.from == corners_[corner]) {
                corners_[corner] = move.to;
                break;
            }
    }
    quadrics_[v] += quadrics_[u];
    if (wedges_.attributeCount > 0)
        for (const WedgeMove& move : moves_)
            attributeQuadrics_[move.to] += attributeQuadrics_[move.from];
    adjacency_.join(u, v);
    queue_.remove(u);
    adjacency_.cornersAt(v, ring_);
    std::vector<std::uint32_t> changed;
    neighbours(ring_, v, changed);
    requeue(v);
    for (const std::uint32_t p : changed) requeue(p);
}

bool Reducer::reduceTo(std::size_t triangles, double maxDeviation, Progress& progress) {
    const double limit = maxDeviation / wedges_.unit;
    const bool wider = limit > limit_;
    limit_ = limit;
    if (wider)
        for (std::uint32_t u = 0; u < target_.size(); ++u) requeue(u);
    const std::size_t start = alive_;
    std::size_t collapses = 0;
    while (alive_ > triangles && !queue_.empty()) {
        if (++collapses % kCollapsesBetweenReports == 0) {
            if (progress.cancelled()) return false;
            progress.report(
                static_cast<double>(start - alive_) / static_cast<double>(start - triangles),
                "Reducing");
        }
        const std::uint32_t u = queue_.top();
        const std::uint32_t v = target_[u];
        adjacency_.cornersAt(u, ring_);
        neighbours(ring_, u, around_);
        const bool sound = findMoves(u, v) && distance(u, v) <= limit_ && isAllowed(u, v);
        if (sound)
            collapse(u, v);
        else
            requeue(u);
    }
    return !progress.cancelled();
}

std::vector<std::vector<std::uint32_t>> Reducer::indices() const {
    std::vector<std::vector<std::uint32_t>> result(mesh_.parts.size());
    for (std::uint32_t corner = 0; corner < corners_.size(); ++corner) {
        if (!adjacency_.isAlive(corner / 3)) continue;
        const std::uint32_t wedge = corners_[corner];
        result[wedges_.wedgePart[wedge]].push_back(wedges_.wedgeVertex[wedge]);
    }
    for (std::size_t p = 0; p < mesh_.parts.size(); ++p)
        if (!mesh_.parts[p].isTriangles()) result[p] = mesh_.parts[p].indices;
    return result;
}

Mesh Reducer::mesh() const {
    std::vector<std::vector<std::uint32_t>> parts = indices();
    Mesh result;
    result.name = mesh_.name;
    result.rest = mesh_.rest;
    for (std::size_t p = 0; p < parts.size(); ++p) {
        if (parts[p].empty()) continue;
        Part part = mesh_.parts[p];
        part.indices = std::move(parts[p]);
        result.parts.push_back(dropUnusedVertices(part));
    }
    return result;
}

}  // namespace flentro
