#include "simplify/card_cloud.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <numeric>

#include "base/disjoint_sets.h"
#include "geometry/morton.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr std::size_t kMinCards = 24;
constexpr std::size_t kMaxTriangles = 4;  ///< Of a card, on average.
constexpr double kMaxGrowth = 3;          ///< Of a card's edge.

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
    return count >= kMinCards && part.triangleCount() <= kMaxTriangles * count;
}

CardCloud::CardCloud(const Part& part) : part_(part), points_(positionsOf(part)) {
    const std::vector<std::uint32_t> pieces = piecesOf(part, points_);
    std::map<std::uint32_t, std::size_t> known;
    for (std::uint32_t t = 0; t < part.triangleCount(); ++t) {
        const std::uint32_t* corner = part.indices.data() + std::size_t{3} * t;
        const auto [at, isNew] = known.try_emplace(pieces[corner[0]], cards_.size());
        if (isNew) cards_.emplace_back();
        Card& card = cards_[at->second];
        const Vec3d a = points_[corner[0]].cast<double>();
        const Vec3d b = points_[corner[1]].cast<double>();
        const Vec3d c = points_[corner[2]].cast<double>();
        const double area = 0.5 * (b - a).cross(c - a).norm();
        card.triangles.push_back(t);
        card.area += area;
        card.centre += area * (a + b + c) / 3;
        area_ += area;
    }
    for (Card& card : cards_)
        card.centre = card.area > 0
                          ? Vec3d(card.centre / card.area)
                          : Vec3d(points_[part.indices[std::size_t{3} * card.triangles.front()]]
                                      .cast<double>());
    order();
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

Part CardCloud::thinned(double share) const {
    const auto wanted = share * static_cast<double>(part_.triangleCount());
    std::vector<Vec3f> positions = points_;
    std::vector<std::uint32_t> indices;
    double kept = 0;
    std::size_t count = 0;
    while (count < cards_.size()) {
        const Card& card = cards_[count];
        const bool enough = kept * kMaxGrowth * kMaxGrowth >= area_;
        const std::size_t triangles = indices.size() / 3 + card.triangles.size();
        if (enough && static_cast<double>(triangles) > wanted) break;
        kept += card.area;
        for (const std::uint32_t t : card.triangles)
            for (std::size_t k = 0; k < 3; ++k)
                indices.push_back(part_.indices[std::size_t{3} * t + k]);
        ++count;
    }
    const double growth = kept > 0 ? std::sqrt(area_ / kept) : 1;
    for (std::size_t i = 0; i < count; ++i)
        for (const std::uint32_t t : cards_[i].triangles)
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t vertex = part_.indices[std::size_t{3} * t + k];
                const Vec3d away = points_[vertex].cast<double>() - cards_[i].centre;
                positions[vertex] = (cards_[i].centre + growth * away).cast<float>();
            }
    Part part = part_;
    part.set("POSITION", makeStream(positions));
    part.indices = std::move(indices);
    return dropUnusedVertices(part);
}

}  // namespace flentro
