#include "simplify/card_cloud.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numbers>
#include <numeric>

#include "base/disjoint_sets.h"
#include "geometry/morton.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr std::size_t kMinCards = 24;
constexpr std::size_t kMaxTriangles = 4;        ///< Of a card, on average.
constexpr std::size_t kMaxLeafTriangles = 100;  ///< Of a leaf, on average.
constexpr double kMaxLeafExtent = 0.1;          ///< Of a leaf, in diagonals of the cloud.
constexpr double kMostAlike =
    0.85;  ///< Mean cosine between neighbours; tiles and planks: nearly 1.
constexpr double kNearlyAll = 0.95;   ///< Of the area.
constexpr double kMinFlatness = 0.3;  ///< Of the area, that the sum of normals has; closed: 0.
constexpr double kMaxGrowth = 3;      ///< Of a card's edge.

/// [vertices] The piece of each, by what hangs together over equal positions.
std::vector<std::uint32_t> piecesOf(const Part& part, const std::vector<Vec3f>& points) {
    DisjointSets sets(firstEqualPosition(points));
    forEachTriangle(part, [&](const Corners& t) {
        sets.join(t[0], t[1]);
        sets.join(t[0], t[2]);
    });
    std::vector<std::uint32_t> root(points.size());
    for (std::uint32_t v = 0; v < root.size(); ++v) root[v] = sets.find(v);
    return root;
}

std::uint32_t codeOf(const Vec3d& inUnitBox) {
    const auto cell = [&](int axis) {
        return static_cast<std::uint32_t>(std::clamp(inUnitBox[axis], 0.0, 1.0) *
                                          (kMortonCells - 1));
    };
    return mortonCode(cell(0), cell(1), cell(2));
}

std::uint32_t reversedBits(std::uint32_t value) {
    std::uint32_t reversed = 0;
    for (int bit = 0; bit < 32; ++bit) reversed |= (value >> bit & 1U) << (31 - bit);
    return reversed;
}

}  // namespace

bool CardCloud::isOne(const Part& part) {
    if (part.triangleCount() < kMinCards || part.isDeformable()) return false;
    const std::vector<std::uint32_t> pieces = piecesOf(part, positionsOf(part));
    std::vector<bool> used(pieces.size(), false);
    for (const std::uint32_t vertex : part.indices) used[pieces[vertex]] = true;
    const auto count = static_cast<std::size_t>(std::count(used.begin(), used.end(), true));
    if (count < kMinCards || part.triangleCount() > kMaxLeafTriangles * count) return false;
    return part.triangleCount() <= kMaxTriangles * count || CardCloud(part).areLeaves();
}

double CardCloud::Card::halfWidth() const {
    return extent > 0 ? std::min(extent, area / (2 * std::numbers::sqrt2 * extent)) : 0;
}

CardCloud::CardCloud(const Part& part, double area) : part_(part), points_(positionsOf(part)) {
    const std::vector<std::uint32_t> pieces = piecesOf(part, points_);
    std::map<std::uint32_t, std::size_t> known;
    double own = 0;
    for (std::uint32_t t = 0; t < part.triangleCount(); ++t) {
        const std::uint32_t* corner = part.indices.data() + std::size_t{3} * t;
        const auto [at, isNew] = known.try_emplace(pieces[corner[0]], cards_.size());
        if (isNew) cards_.emplace_back();
        Card& card = cards_[at->second];
        const Vec3d a = points_[corner[0]].cast<double>();
        const Vec3d b = points_[corner[1]].cast<double>();
        const Vec3d c = points_[corner[2]].cast<double>();
        const Vec3d normal = 0.5 * (b - a).cross(c - a);
        card.triangles.push_back(t);
        card.area += normal.norm();
        card.normal += normal;
        card.centre += normal.norm() * (a + b + c) / 3;
        own += normal.norm();
    }
    area_ = area > 0 ? area : own;
    for (Card& card : cards_) {
        card.centre = card.area > 0
                          ? Vec3d(card.centre / card.area)
                          : Vec3d(points_[part.indices[std::size_t{3} * card.triangles.front()]]
                                      .cast<double>());
        for (const std::uint32_t t : card.triangles)
            for (std::size_t k = 0; k < 3; ++k)
                card.extent = std::max(
                    card.extent,
                    (points_[part.indices[std::size_t{3} * t + k]].cast<double>() - card.centre)
                        .norm());
    }
    order();
    halfWidth_ = nearlyLargest([](const Card& card) { return card.halfWidth(); });
}

/// The value that cards with all but a twentieth of the area do not exceed.
template <typename Measure>
double CardCloud::nearlyLargest(const Measure& measure) const {
    std::vector<std::pair<double, double>> values;
    double sum = 0;
    for (const Card& card : cards_) {
        values.emplace_back(measure(card), card.area);
        sum += card.area;
    }
    std::sort(values.begin(), values.end());
    double below = 0;
    for (const auto& [value, area] : values) {
        below += area;
        if (below >= kNearlyAll * sum) return value;
    }
    return values.empty() ? 0 : values.back().first;
}

/// Cards are in the order in which they are kept, not in that along the curve: neighbours are
/// found among those that share a cell of it.
bool CardCloud::areLeaves() const {
    Box box;
    for (const Vec3f& point : points_) box.extend(point.cast<double>());
    if (nearlyLargest([](const Card& card) { return card.extent; }) >
        kMaxLeafExtent * box.diagonal().norm())
        return false;
    std::vector<const Card*> open;
    for (const Card& card : cards_)
        if (card.normal.norm() > kMinFlatness * card.area) open.push_back(&card);
    if (static_cast<double>(open.size()) < kNearlyAll * static_cast<double>(cards_.size()))
        return false;
    const Vec3d size = box.sizes().cwiseMax(1e-12);
    std::sort(open.begin(), open.end(), [&](const Card* a, const Card* b) {
        return codeOf((a->centre - box.min()).cwiseQuotient(size)) <
               codeOf((b->centre - box.min()).cwiseQuotient(size));
    });
    double alike = 0;
    for (std::size_t i = 1; i < open.size(); ++i)
        alike += std::fabs(open[i - 1]->normal.normalized().dot(open[i]->normal.normalized()));
    return alike < kMostAlike * static_cast<double>(open.size());
}

/// Along a curve through space, every other one first, then every other of the rest ...: any
/// first cards are spread over all.
void CardCloud::order() {
    Box box;
    for (const Card& card : cards_) box.extend(card.centre);
    const Vec3d size = box.sizes().cwiseMax(1e-12);
    std::vector<std::pair<std::uint32_t, std::size_t>> alongCurve;
    for (std::size_t i = 0; i < cards_.size(); ++i)
        alongCurve.emplace_back(codeOf((cards_[i].centre - box.min()).cwiseQuotient(size)), i);
    std::sort(alongCurve.begin(), alongCurve.end());
    std::vector<std::pair<std::uint32_t, std::size_t>> spread;
    for (std::uint32_t rank = 0; rank < alongCurve.size(); ++rank)
        spread.emplace_back(reversedBits(rank), alongCurve[rank].second);
    std::sort(spread.begin(), spread.end());
    std::vector<Card> ordered;
    for (const auto& [key, index] : spread) ordered.push_back(std::move(cards_[index]));
    cards_ = std::move(ordered);
}

CardCloud::Kept CardCloud::keptAt(double share) const {
    const auto wanted = share * static_cast<double>(part_.triangleCount());
    Kept kept;
    double area = 0;
    std::size_t triangles = 0;
    for (; kept.cards < cards_.size(); ++kept.cards) {
        const Card& card = cards_[kept.cards];
        const bool enough = area * kMaxGrowth * kMaxGrowth >= area_;
        triangles += card.triangles.size();
        if (enough && static_cast<double>(triangles) > wanted) break;
        area += card.area;
    }
    if (area > 0) kept.growth = std::sqrt(area_ / area);
    return kept;
}

double CardCloud::deviationAt(double share) const {
    const Kept kept = keptAt(share);
    const double grown =
        std::fabs(kept.growth - 1) * nearlyLargest([](const Card& card) { return card.extent; });
    return std::max(grown, kept.cards < cards_.size() ? halfWidth_ : 0);
}

Part CardCloud::thinned(double share) const {
    const Kept kept = keptAt(share);
    std::vector<Vec3f> positions = points_;
    std::vector<std::uint32_t> indices;
    for (std::size_t i = 0; i < kept.cards; ++i)
        for (const std::uint32_t t : cards_[i].triangles)
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t vertex = part_.indices[std::size_t{3} * t + k];
                const Vec3d away = points_[vertex].cast<double>() - cards_[i].centre;
                positions[vertex] = (cards_[i].centre + kept.growth * away).cast<float>();
                indices.push_back(vertex);
            }
    Part part = part_;
    part.set("POSITION", makeStream(positions));
    part.indices = std::move(indices);
    return dropUnusedVertices(part);
}

}  // namespace flentro
