#include "scene/coincidence.h"

#include <algorithm>
#include <array>
#include <bitset>
#include <cmath>
#include <map>
#include <utility>

#include "base/index.h"
#include "base/parallel.h"
#include "geometry/cell.h"
#include "geometry/slabs.h"

namespace flentro {
namespace {

constexpr double kNear = 1e-5;          ///< Metres.
constexpr double kRounding = 4e-7;      ///< Of a position's largest coordinate.
constexpr double kSingular = 1e-12;     ///< Determinants below it: nothing is told by a matrix.
constexpr std::size_t kMaxBoxes = 16;   ///< Of an object; with more all its triangles are asked.
constexpr std::size_t kMaxInCell = 64;  ///< Triangles that one is compared with.
constexpr double kCellSize = 16;        ///< Times the distance within which positions are one.
constexpr double kSlabTriangles = 3e5;  ///< Looked at together: bounds the memory.

using CornerPoints = std::array<Vec3d, 3>;
/// Triangles of two objects that are at one place.
using PairCounts = std::map<std::pair<std::uint32_t, std::uint32_t>, std::size_t>;

/// Within which two positions are one.
double nearAt(const Vec3d& position) {
    return kNear + kRounding * position.cwiseAbs().maxCoeff();
}

/// A triangle of an object.
struct Placed {
    std::uint32_t object = 0;
    std::uint32_t part = 0;
    std::uint32_t first = 0;  ///< In Part::indices.
};

/// Triangles by the cell that their centre is in. Open addressing; equal keys follow each other.
class CellTable {
public:
    /// The first of a cell's triangles for which `isMet` is true; null: none.
    template <typename IsMet>
    [[nodiscard]] const Placed* find(std::uint64_t key, const IsMet& isMet) const {
        std::size_t compared = 0;
        for (std::size_t i = key & mask(); slots_[i].isUsed && compared < kMaxInCell;
             i = (i + 1) & mask())
            if (slots_[i].key == key && (++compared, isMet(slots_[i].triangle)))
                return &slots_[i].triangle;
        return nullptr;
    }
    /// Nothing is added to a cell that is full.
    void add(std::uint64_t key, const Placed& triangle) {
        if (2 * ++count_ > slots_.size()) grow();
        place(key, triangle);
    }

private:
    struct Slot {
        std::uint64_t key = 0;
        Placed triangle;
        bool isUsed = false;
    };
    [[nodiscard]] std::size_t mask() const { return slots_.size() - 1; }
    void place(std::uint64_t key, const Placed& triangle) {
        std::size_t there = 0;
        std::size_t i = key & mask();
        for (; slots_[i].isUsed; i = (i + 1) & mask())
            if (slots_[i].key == key && ++there == kMaxInCell) return;
        slots_[i] = {key, triangle, true};
    }
    void grow() {
        const std::vector<Slot> old = std::exchange(slots_, std::vector<Slot>(2 * slots_.size()));
        for (const Slot& slot : old)
            if (slot.isUsed) place(slot.key, slot.triangle);
    }
    std::vector<Slot> slots_ = std::vector<Slot>(4096);
    std::size_t count_ = 0;
};

/// Where in its bounds a mesh has centres of triangles: most things that overlap by their bounds
/// (a sky and all below it) have none where the other has some.
class Occupancy {
public:
    Occupancy() = default;
    /// `parts`: positions of each, empty for those that do not count.
    Occupancy(const Mesh& mesh, const std::vector<std::vector<Vec3f>>& parts) {
        const auto forEachCentre = [&](const auto& visit) {
            for (std::size_t p = 0; p < parts.size(); ++p) {
                if (parts[p].empty()) continue;
                forEachTriangle(mesh.parts[p], [&](const auto& corners) {
                    Vec3d sum = Vec3d::Zero();
                    for (const std::uint32_t corner : corners)
                        sum += parts[p][corner].template cast<double>();
                    visit(Vec3d(sum / 3));
                });
            }
        };
        forEachCentre([&](const Vec3d& centre) { bounds_.extend(centre); });
        forEachCentre([&](const Vec3d& centre) {
            const std::array<int, 3> cell = cellOf(centre);
            isUsed_.set(indexOf(cell[0], cell[1], cell[2]));
        });
    }

    /// False if no centre of a triangle is in the box.
    [[nodiscard]] bool meets(const Box& box) const {
        if (bounds_.isEmpty() || !bounds_.intersects(box)) return false;
        const std::array<int, 3> low = cellOf(box.min());
        const std::array<int, 3> high = cellOf(box.max());
        for (int x = low[0]; x <= high[0]; ++x)
            for (int y = low[1]; y <= high[1]; ++y)
                for (int z = low[2]; z <= high[2]; ++z)
                    if (isUsed_[indexOf(x, y, z)]) return true;
        return false;
    }

private:
    static constexpr int kCells = 8;  ///< An axis.

    [[nodiscard]] std::array<int, 3> cellOf(const Vec3d& point) const {
        std::array<int, 3> cell{};
        for (int axis = 0; axis < 3; ++axis) {
            const double size = bounds_.max()[axis] - bounds_.min()[axis];
            const double share = size > 0 ? (point[axis] - bounds_.min()[axis]) / size : 0;
            elementOf(cell, axis) =
                static_cast<int>(std::clamp(std::floor(share * kCells), 0.0, kCells - 1.0));
        }
        return cell;
    }
    static std::size_t indexOf(int x, int y, int z) {
        const int index = (x * kCells + y) * kCells + z;
        return static_cast<std::size_t>(index);
    }

    Box bounds_;  ///< Of the centres.
    std::bitset<std::size_t{kCells} * kCells * kCells> isUsed_;
};

bool isAsked(const Scene& scene, const Part& part) {
    if (!part.isTriangles() || part.isDeformable()) return false;
    return part.material < 0 ||
           elementOf(scene.materials, part.material).alphaMode != AlphaMode::Blend;
}

class Finder {
public:
    explicit Finder(const Scene& scene)
        : scene_(scene), positions_(scene.assets.size()), occupancies_(scene.assets.size()) {}

    [[nodiscard]] std::vector<Coincidence> find() {
        parallelEach(scene_.assets.size(), [&](std::size_t a) { read(a); });
        collectBoxes();
        for (std::uint32_t i = 0; i < boxes_.size(); ++i)
            if (!boxes_[i].empty()) asked_.push_back(i);
        const std::vector<double> bounds = slabsOfAsked();
        std::vector<PairCounts> found(bounds.size() - 1);
        parallelEach(found.size(),
                     [&](std::size_t i) { found[i] = findIn(bounds[i], bounds[i + 1]); });
        PairCounts counts;
        for (const PairCounts& some : found)
            for (const auto& [pair, count] : some) counts[pair] += count;
        std::vector<Coincidence> result;
        for (const auto& [pair, count] : counts) result.push_back(orderedBySize(pair, count));
        std::sort(result.begin(), result.end(), [](const Coincidence& a, const Coincidence& b) {
            return std::tie(a.object, a.other) < std::tie(b.object, b.other);
        });
        return result;
    }

private:
    /// False if the object has no triangle there.
    [[nodiscard]] bool meets(std::uint32_t object, const Box& box) const {
        const Object& placed = scene_.objects[object];
        if (std::abs(placed.world.determinant()) < kSingular) return true;
        return elementOf(occupancies_, placed.asset)
            .meets(transformBox(placed.world.inverse(), box));
    }

    /// [objects] Where an object may have triangles that another has as well.
    void collectBoxes() {
        boxes_.resize(scene_.objects.size());
        std::vector<std::uint32_t> order;
        for (std::uint32_t i = 0; i < scene_.objects.size(); ++i)
            if (!scene_.objects[i].bounds.isEmpty() && !(scene_.objects[i].culling.start > 0))
                order.push_back(i);
        const auto boundsOf = [&](std::uint32_t i) -> const Box& {
            return scene_.objects[i].bounds;
        };
        std::sort(order.begin(), order.end(), [&](std::uint32_t a, std::uint32_t b) {
            return std::pair(boundsOf(a).min().x(), a) < std::pair(boundsOf(b).min().x(), b);
        });
        for (std::size_t i = 0; i < order.size(); ++i) {
            Box own = boundsOf(order[i]);
            const double margin = nearAt(own.min().cwiseAbs().cwiseMax(own.max().cwiseAbs()));
            own.min().array() -= margin;
            own.max().array() += margin;
            for (std::size_t k = i + 1;
                 k < order.size() && boundsOf(order[k]).min().x() <= own.max().x(); ++k) {
                auto& mine = boxes_[order[i]];
                auto& theirs = boxes_[order[k]];
                if (mine.size() > kMaxBoxes && theirs.size() > kMaxBoxes) continue;
                Box both = own.intersection(boundsOf(order[k]));
                if (both.isEmpty()) continue;
                both.min().array() -= margin;
                both.max().array() += margin;
                if (!meets(order[i], both) || !meets(order[k], both)) continue;
                if (mine.size() <= kMaxBoxes) mine.push_back(both);
                if (theirs.size() <= kMaxBoxes) theirs.push_back(both);
            }
        }
    }

    [[nodiscard]] bool mayMatch(std::uint32_t object, const Vec3d& centre, double near) const {
        const std::vector<Box>& boxes = boxes_[object];
        return boxes.size() > kMaxBoxes ||
               std::any_of(boxes.begin(), boxes.end(), [&](const Box& box) {
                   return box.squaredExteriorDistance(centre) <= near * near;
               });
    }

    /// Along x, with about as many triangles each.
    [[nodiscard]] std::vector<double> slabsOfAsked() {
        std::vector<std::pair<double, double>> weights;
        for (const std::uint32_t i : asked_) {
            const Object& object = scene_.objects[i];
            weights.emplace_back(object.bounds.center().x(),
                                 static_cast<double>(scene_.mesh(object).triangles));
            farthest_ = farthest_.cwiseMax(object.bounds.min().cwiseAbs());
            farthest_ = farthest_.cwiseMax(object.bounds.max().cwiseAbs());
        }
        return slabBounds(std::move(weights), kSlabTriangles);
    }

    /// Pairs whose first triangle along x has its centre in [from, to).
    [[nodiscard]] PairCounts findIn(double from, double to) const {
        const double near = 2 * nearAt(farthest_);
        CellTable table;
        PairCounts counts;
        for (const std::uint32_t object : asked_) {
            const Box& bounds = scene_.objects[object].bounds;
            if (bounds.max().x() < from - near || bounds.min().x() > to + near) continue;
            forEachTriangle(object, [&](const Placed& triangle, const Vec3d& about) {
                // First by its centre alone, as most are nowhere near another object's.
                if (about.x() < from - 2 * near || about.x() >= to + 2 * near ||
                    !mayMatch(object, about, near))
                    return;
                const CornerPoints corners = cornersOf(triangle);
                const Vec3d centre = centreOf(corners);
                if (centre.x() < from - near || centre.x() >= to + near ||
                    !mayMatch(object, centre, nearAt(centre)))
                    return;
                if (const auto other = matchOf(triangle, corners, centre, table);
                    other && isIn(*other, centre, from, to))
                    ++counts[std::minmax(object, other->object)];
                table.add(hash64(cellOf(centre)), triangle);
            });
        }
        return counts;
    }

    [[nodiscard]] bool isIn(const Placed& other, const Vec3d& centre, double from,
                            double to) const {
        const double first = std::min(centreOf(cornersOf(other)).x(), centre.x());
        return first >= from && first < to;
    }

    /// Calls visit(triangle, centre but for rounding).
    template <typename Visit>
    void forEachTriangle(std::uint32_t object, const Visit& visit) const {
        const Object& placed = scene_.objects[object];
        const Mesh& mesh = scene_.mesh(placed);
        for (std::uint32_t p = 0; p < mesh.parts.size(); ++p) {
            if (!isAsked(scene_, mesh.parts[p])) continue;
            const std::vector<std::uint32_t>& indices = mesh.parts[p].indices;
            const std::vector<Vec3f>& positions = elementOf(positions_, placed.asset)[p];
            for (std::uint32_t first = 0; first + 2 < indices.size(); first += 3) {
                Vec3d sum = Vec3d::Zero();
                for (std::size_t k = 0; k < 3; ++k)
                    sum += positions[indices[first + k]].cast<double>();
                visit(Placed{object, p, first}, transformPoint(placed.world, sum / 3));
            }
        }
    }

    [[nodiscard]] Cell cellOf(const Vec3d& position) const {
        return cellAt(position, kCellSize * nearAt(farthest_));
    }

    /// A triangle of another object at the same place; null: none. Where a centre is near the side
    /// of its cell the next cell is asked as well.
    [[nodiscard]] const Placed* matchOf(const Placed& triangle, const CornerPoints& corners,
                                        const Vec3d& centre, const CellTable& table) const {
        const Vec3d margin = Vec3d::Constant(nearAt(centre));
        const Cell low = cellOf(centre - margin);
        const Cell high = cellOf(centre + margin);
        const auto isMet = [&](const Placed& other) {
            return other.object != triangle.object && isSame(corners, cornersOf(other));
        };
        for (long x = low[0]; x <= high[0]; ++x)
            for (long y = low[1]; y <= high[1]; ++y)
                for (long z = low[2]; z <= high[2]; ++z)
                    if (const Placed* found = table.find(hash64({x, y, z}), isMet)) return found;
        return nullptr;
    }

    void read(std::size_t asset) {
        const Mesh& mesh = *scene_.assets[asset].mesh;
        for (const Part& part : mesh.parts)
            positions_[asset].push_back(isAsked(scene_, part) ? positionsOf(part)
                                                              : std::vector<Vec3f>());
        occupancies_[asset] = Occupancy(mesh, positions_[asset]);
    }

    [[nodiscard]] CornerPoints cornersOf(const Placed& entry) const {
        const Object& object = scene_.objects[entry.object];
        const auto asset = static_cast<std::size_t>(object.asset);
        const std::vector<std::uint32_t>& indices =
            scene_.assets[asset].mesh->parts[entry.part].indices;
        const std::vector<Vec3f>& positions = positions_[asset][entry.part];
        CornerPoints corners;
        for (std::size_t k = 0; k < 3; ++k)
            corners[k] =
                transformPoint(object.world, positions[indices[entry.first + k]].cast<double>());
        return corners;
    }

    [[nodiscard]] static Vec3d centreOf(const CornerPoints& corners) {
        return (corners[0] + corners[1] + corners[2]) / 3;
    }

    [[nodiscard]] static bool isSame(const CornerPoints& a, const CornerPoints& b) {
        const double near = nearAt(a[0]);
        return std::all_of(a.begin(), a.end(), [&](const Vec3d& corner) {
            return std::any_of(b.begin(), b.end(), [&](const Vec3d& other) {
                return (corner - other).cwiseAbs().maxCoeff() <= near;
            });
        });
    }

    [[nodiscard]] Coincidence orderedBySize(const std::pair<std::uint32_t, std::uint32_t>& pair,
                                            std::size_t count) const {
        const bool firstIsLarger = scene_.mesh(scene_.objects[pair.first]).triangles >=
                                   scene_.mesh(scene_.objects[pair.second]).triangles;
        return firstIsLarger ? Coincidence{pair.second, pair.first, count}
                             : Coincidence{pair.first, pair.second, count};
    }

    const Scene& scene_;
    std::vector<std::vector<std::vector<Vec3f>>> positions_;  ///< [assets][parts][vertices]
    std::vector<Occupancy> occupancies_;                      ///< [assets]
    std::vector<std::vector<Box>> boxes_;                     ///< [objects]
    std::vector<std::uint32_t> asked_;                        ///< Objects that others overlap.
    Vec3d farthest_ = Vec3d::Zero();                          ///< Largest coordinates of those.
};

}  // namespace

std::vector<Coincidence> coincidentTriangles(const Scene& scene) {
    return Finder(scene).find();
}

}  // namespace flentro
