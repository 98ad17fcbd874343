#include "fixes/shared_borders.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "geometry/bones.h"
#include "geometry/cell.h"
#include "geometry/slabs.h"
#include "geometry/weld.h"
#include "scene/poses.h"

namespace flentro {
namespace {

/// What counts as one position, as a share of the scene's size: neighbours were placed by floats.
constexpr double kSamePlace = 1e-6;
constexpr double kReach = 0.25;        ///< Of a cell, within which two positions are one.
constexpr double kSlabPlaces = 500e3;  ///< Looked at together: bounds the memory.

/// Vertices of one part on open borders of its mesh.
struct BorderVertex {
    std::uint32_t part, vertex;
    Vec3d position;
};

/// The edges of all triangles, those of equal ones once: a sheet with a face for either side has a
/// border too. Sorted.
std::vector<std::uint64_t> edgesOf(const std::vector<std::uint32_t>& corners) {
    std::vector<std::array<std::uint32_t, 3>> triangles;
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
        triangles.push_back({corners[i], corners[i + 1], corners[i + 2]});
        std::sort(triangles.back().begin(), triangles.back().end());
    }
    std::sort(triangles.begin(), triangles.end());
    triangles.erase(std::unique(triangles.begin(), triangles.end()), triangles.end());
    std::vector<std::uint64_t> edges;
    for (const auto& [a, b, c] : triangles)
        for (const auto& [from, to] : {std::pair(a, b), std::pair(b, c), std::pair(a, c)})
            edges.push_back(std::uint64_t{from} << 32U | to);
    std::sort(edges.begin(), edges.end());
    return edges;
}

std::vector<BorderVertex> bordersOf(const Mesh& mesh) {
    const WeldedMesh welded = weldPositions(mesh);
    const std::vector<std::uint64_t> edges = edgesOf(welded.corners);
    std::vector<bool> onBorder(welded.points.size(), false);
    for (std::size_t i = 0; i < edges.size();) {
        std::size_t end = i;
        while (end < edges.size() && edges[end] == edges[i]) ++end;
        if (end - i == 1) onBorder[edges[i] >> 32U] = onBorder[edges[i] & 0xFFFFFFFFU] = true;
        i = end;
    }
    std::vector<BorderVertex> borders;
    for (std::uint32_t p = 0; p < mesh.parts.size(); ++p) {
        const auto count = static_cast<std::uint32_t>(mesh.parts[p].vertexCount());
        for (std::uint32_t v = 0; mesh.parts[p].isTriangles() && v < count; ++v) {
            const std::uint32_t point = welded.firstPoints[p] + v;
            if (onBorder[welded.same[point]])
                borders.push_back({p, v, welded.points[point].cast<double>()});
        }
    }
    return borders;
}

/// The objects at each cell: one, or several. Cells go by a hash of 64 bits; open addressing.
class CellOwners {
public:
    explicit CellOwners(std::size_t count)
        : slots_(std::bit_ceil(2 * count + 2)), mask_(slots_.size() - 1) {}

    void add(std::uint64_t cell, std::uint32_t object) {
        Slot& slot = slots_[find(cell)];
        if (slot.owner == kNone)
            slot = {cell, object};
        else if (slot.owner != object)
            slot.owner = kSeveral;
    }
    [[nodiscard]] bool hasSeveral(std::uint64_t cell) const {
        return slots_[find(cell)].owner == kSeveral;
    }

private:
    static constexpr std::uint32_t kNone = ~0U;
    static constexpr std::uint32_t kSeveral = ~0U - 1;
    struct Slot {
        std::uint64_t cell = 0;
        std::uint32_t owner = kNone;
    };
    [[nodiscard]] std::size_t find(std::uint64_t cell) const {
        std::size_t i = cell & mask_;
        while (slots_[i].owner != kNone && slots_[i].cell != cell) i = (i + 1) & mask_;
        return i;
    }
    std::vector<Slot> slots_;
    std::size_t mask_;
};

/// Marks border vertices at whose position another object has one as well, a slab of cells at a
/// time.
class SharedFinder {
public:
    SharedFinder(const Scene& scene, const std::vector<std::vector<BorderVertex>>& borders)
        : scene_(scene),
          borders_(borders),
          bounds_(scene.bounds()),
          edge_(std::max(bounds_.diagonal().norm() * kSamePlace, 1e-12)) {
        for (const auto& vertices : borders) marks_.emplace_back(vertices.size(), 0);
        for (const Object& object : scene.objects) bones_.push_back(boneTransforms(scene, object));
    }

    /// [assets][border vertices] 1: shared.
    [[nodiscard]] const std::vector<std::vector<std::uint8_t>>& find() {
        std::vector<std::pair<double, double>> weights;
        for (const Object& object : scene_.objects)
            if (const std::size_t count = verticesOf(object).size(); count > 0)
                weights.emplace_back(object.bounds.center().x(), static_cast<double>(count));
        const std::vector<double> slabs = slabBounds(std::move(weights), kSlabPlaces);
        parallelEach(slabs.size() - 1, [&](std::size_t i) { findIn(slabs[i], slabs[i + 1]); });
        return marks_;
    }

private:
    [[nodiscard]] const std::vector<BorderVertex>& verticesOf(const Object& object) const {
        return elementOf(borders_, object.asset);
    }

    /// In cells whose middle is in [from, to).
    void findIn(double from, double to) {
        std::size_t count = 0;
        forEachIn(from, to, [&](std::uint32_t, std::size_t, std::uint64_t) { ++count; });
        CellOwners owners(count);
        forEachIn(from, to, [&](std::uint32_t object, std::size_t, std::uint64_t cell) {
            owners.add(cell, object);
        });
        forEachIn(from, to, [&](std::uint32_t object, std::size_t vertex, std::uint64_t cell) {
            if (!owners.hasSeveral(cell)) return;
            auto& marks = elementOf(marks_, scene_.objects[object].asset);
            std::atomic_ref(marks[vertex]).store(1, std::memory_order_relaxed);
        });
    }

    template <typename Visit>
    void forEachIn(double from, double to, const Visit& visit) const {
        for (std::uint32_t i = 0; i < scene_.objects.size(); ++i) {
            const Object& object = scene_.objects[i];
            const bool isApart =
                object.bounds.max().x() < from - edge_ || object.bounds.min().x() > to + edge_;
            if (object.bounds.isEmpty() || (isApart && bones_[i].empty())) continue;
            const std::vector<BorderVertex>& vertices = verticesOf(object);
            for (std::size_t v = 0; v < vertices.size(); ++v)
                visitPlaces(i, vertices[v], [&](const Vec3d& place) {
                    visitCells(place, from, to, [&](std::uint64_t cell) { visit(i, v, cell); });
                });
        }
    }

    /// A vertex held by bones is wherever one of them alone would take it: parts of a figure meet
    /// in every pose if bones take them to the same places, whatever space each was made in.
    template <typename Visit>
    void visitPlaces(std::uint32_t object, const BorderVertex& vertex, const Visit& visit) const {
        const std::vector<Mat4d>& bones = bones_[object];
        bool isHeld = false;
        if (!bones.empty())
            BoneSets(scene_.mesh(scene_.objects[object]).parts[vertex.part])
                .forEach(vertex.vertex, [&](std::size_t joint, double) {
                    if (joint >= bones.size()) return;
                    visit(transformPoint(bones[joint], vertex.position));
                    isHeld = true;
                });
        if (!isHeld) visit(transformPoint(scene_.objects[object].world, vertex.position));
    }

    /// A position is in up to eight cells, so that two that are nearly the same always share one.
    template <typename Visit>
    void visitCells(const Vec3d& position, double from, double to, const Visit& visit) const {
        const Vec3d at = (position - bounds_.min()) / edge_;
        const auto span = [&](int axis) {
            return std::pair(std::lround(at[axis] - kReach), std::lround(at[axis] + kReach));
        };
        const auto [x0, x1] = span(0);
        const auto [y0, y1] = span(1);
        const auto [z0, z1] = span(2);
        for (long x = x0; x <= x1; ++x) {
            const double middle = bounds_.min().x() + static_cast<double>(x) * edge_;
            if (middle < from || middle >= to) continue;
            for (long y = y0; y <= y1; ++y)
                for (long z = z0; z <= z1; ++z) visit(hash64({x, y, z}));
        }
    }

    const Scene& scene_;
    const std::vector<std::vector<BorderVertex>>& borders_;
    const Box bounds_;
    const double edge_;                      ///< Of a cell, metres.
    std::vector<std::vector<Mat4d>> bones_;  ///< [objects][joints] Of those with a skin.
    std::vector<std::vector<std::uint8_t>> marks_;
};

}  // namespace

std::vector<std::vector<std::vector<bool>>> findSharedBorders(const Scene& scene) {
    std::vector<std::vector<BorderVertex>> borders(scene.assets.size());
    parallelEach(borders.size(),
                 [&](std::size_t i) { borders[i] = bordersOf(*scene.assets[i].mesh); });
    std::vector<std::vector<std::vector<bool>>> shared(scene.assets.size());
    if (scene.bounds().isEmpty()) return shared;
    SharedFinder finder(scene, borders);
    const auto& marks = finder.find();
    for (std::size_t a = 0; a < shared.size(); ++a)
        for (std::size_t v = 0; v < marks[a].size(); ++v) {
            if (marks[a][v] == 0) continue;
            if (shared[a].empty())
                for (const Part& part : scene.assets[a].mesh->parts)
                    shared[a].emplace_back(part.vertexCount(), false);
            shared[a][borders[a][v].part][borders[a][v].vertex] = true;
        }
    return shared;
}

}  // namespace flentro
