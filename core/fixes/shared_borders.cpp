#include "fixes/shared_borders.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <unordered_map>

#include "base/index.h"
#include "base/parallel.h"
#include "geometry/cell.h"
#include "geometry/weld.h"

namespace flentro {
namespace {

/// What counts as one place, as a share of the scene's size: neighbours were placed by floats.
constexpr double kSamePlace = 1e-6;

/// Vertices of one part on open borders of its mesh.
struct BorderVertex {
    std::uint32_t part, vertex;
    Vec3d place;
};

std::vector<BorderVertex> bordersOf(const Mesh& mesh) {
    const WeldedMesh welded = weldPlaces(mesh);
    const std::vector<std::uint32_t>& corners = welded.corners;
    std::vector<std::uint64_t> edges;
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3)
        for (std::size_t k = 0; k < 3; ++k) {
            const std::uint64_t a = corners[i + k];
            const std::uint64_t b = corners[i + (k + 1) % 3];
            edges.push_back(std::min(a, b) << 32U | std::max(a, b));
        }
    std::sort(edges.begin(), edges.end());
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

}  // namespace

std::vector<std::vector<std::vector<bool>>> findSharedBorders(const Scene& scene) {
    std::vector<std::vector<BorderVertex>> borders(scene.assets.size());
    parallelEach(borders.size(),
                 [&](std::size_t i) { borders[i] = bordersOf(*scene.assets[i].mesh); });
    std::vector<std::vector<std::vector<bool>>> shared(scene.assets.size());
    const Box bounds = scene.bounds();
    if (bounds.isEmpty()) return shared;
    const double edge = std::max(bounds.diagonal().norm() * kSamePlace, 1e-12);
    // A place is in up to eight cells, so that two that are nearly the same always share one.
    const auto visitCells = [&](const Object& object, const Vec3d& place, const auto& visit) {
        const Vec3d at = (transformPoint(object.world, place) - bounds.min()) / edge;
        constexpr double kReach = 0.25;
        const auto span = [&](int axis) {
            return std::pair(std::lround(at[axis] - kReach), std::lround(at[axis] + kReach));
        };
        const auto [x0, x1] = span(0);
        const auto [y0, y1] = span(1);
        const auto [z0, z1] = span(2);
        for (long x = x0; x <= x1; ++x)
            for (long y = y0; y <= y1; ++y)
                for (long z = z0; z <= z1; ++z) visit(Cell{x, y, z});
    };
    constexpr std::uint32_t kSeveral = ~0U;
    std::unordered_map<Cell, std::uint32_t, HashCell> owners;  // the object there, or kSeveral
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i)
        for (const BorderVertex& vertex : elementOf(borders, scene.objects[i].asset))
            visitCells(scene.objects[i], vertex.place, [&](const Cell& cell) {
                const auto [at, isNew] = owners.try_emplace(cell, i);
                if (!isNew && at->second != i) at->second = kSeveral;
            });
    for (const Object& object : scene.objects) {
        const auto asset = static_cast<std::size_t>(object.asset);
        for (const BorderVertex& vertex : borders[asset]) {
            bool isShared = false;
            visitCells(object, vertex.place, [&](const Cell& cell) {
                isShared = isShared || owners.at(cell) == kSeveral;
            });
            if (!isShared) continue;
            auto& parts = shared[asset];
            if (parts.empty())
                for (const Part& part : scene.assets[asset].mesh->parts)
                    parts.emplace_back(part.vertexCount(), false);
            parts[vertex.part][vertex.vertex] = true;
        }
    }
    return shared;
}

}  // namespace flentro
