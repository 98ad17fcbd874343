// Splitting: labels for the triangles of a mesh, and a mesh for each label. No vertex is made or
// moved, so that the pieces meet exactly and the picture cannot change.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <span>
#include <unordered_map>

#include "base/cancel_only.h"
#include "base/disjoint_sets.h"
#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/split/split.h"
#include "geometry/cell.h"
#include "geometry/weld.h"
#include "scene/blending.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr double kMuchLarger = 1.5;  ///< Than a cell: what is cut.
constexpr long kMaxCells = 64;       ///< Along an axis.
constexpr double kLargerCell = 1.25;

using Labels = std::vector<std::uint32_t>;  ///< [triangles of all parts]

Labels byTransparency(const Scene& scene, const Mesh& mesh) {
    Labels labels;
    for (const Part& part : mesh.parts)
        labels.insert(labels.end(), part.triangleCount(), isBlended(scene, part) ? 1 : 0);
    return labels;
}

/// Triangles hang together by shared places, and by places in the same or neighbouring cells of
/// `apart` (in the mesh's own units).
Labels byPiece(const WeldedMesh& mesh, double apart) {
    DisjointSets sets(mesh.points.size());
    for (std::size_t i = 0; i + 2 < mesh.corners.size(); i += 3) {
        sets.join(mesh.corners[i], mesh.corners[i + 1]);
        sets.join(mesh.corners[i], mesh.corners[i + 2]);
    }
    std::unordered_map<Cell, std::uint32_t, HashCell> cells;
    for (const std::uint32_t corner : mesh.corners) {
        const Cell cell = cellAt(mesh.points[corner].cast<double>(), apart);
        const auto [at, isNew] = cells.try_emplace(cell, corner);
        if (!isNew) sets.join(at->second, corner);
    }
    for (const auto& [cell, corner] : cells)
        for (long x = -1; x <= 1; ++x)
            for (long y = -1; y <= 1; ++y)
                for (long z = -1; z <= 1; ++z) {
                    const auto near = cells.find({cell[0] + x, cell[1] + y, cell[2] + z});
                    if (near != cells.end()) sets.join(corner, near->second);
                }
    Labels labels;
    for (std::size_t i = 0; i + 2 < mesh.corners.size(); i += 3)
        labels.push_back(sets.find(mesh.corners[i]));
    return labels;
}

/// Cells along each axis for edges of about `cell`, but larger where a cell would have fewer than
/// `least` triangles in the mean.
std::array<long, 3> cellCounts(const Box& bounds, double cell, std::size_t triangles,
                               std::size_t least) {
    std::array<long, 3> counts{};
    for (long all = 0; all == 0 || (all > 1 && all > static_cast<long>(triangles / least));
         cell *= kLargerCell) {
        all = 1;
        for (int axis = 0; axis < 3; ++axis) {
            const double count = std::round(bounds.sizes()[axis] / cell);
            elementOf(counts, axis) =
                std::isfinite(count) ? std::clamp(std::lround(std::min(count, 1e6)), 1L, kMaxCells)
                                     : 1L;
            all *= elementOf(counts, axis);
        }
    }
    return counts;
}

/// Each triangle belongs to the cell that its middle is in.
Labels byCell(const WeldedMesh& mesh, const Box& bounds, const std::array<long, 3>& counts) {
    Labels labels;
    for (std::size_t i = 0; i + 2 < mesh.corners.size(); i += 3) {
        const Vec3d middle = (mesh.points[mesh.corners[i]] + mesh.points[mesh.corners[i + 1]] +
                              mesh.points[mesh.corners[i + 2]])
                                 .cast<double>() /
                             3;
        long label = 0;
        for (int axis = 0; axis < 3; ++axis) {
            const long count = elementOf(counts, axis);
            const double size = std::max(bounds.sizes()[axis], 1e-30);
            const double share = (middle[axis] - bounds.min()[axis]) / size;
            const long at =
                std::clamp(static_cast<long>(share * static_cast<double>(count)), 0L, count - 1);
            label = label * kMaxCells + at;
        }
        labels.push_back(static_cast<std::uint32_t>(label));
    }
    return labels;
}

/// The triangles of each label, in their order: a counting sort.
struct Buckets {
    std::vector<std::size_t> first;        ///< [labels + 1]
    std::vector<std::uint32_t> triangles;  ///< Of all parts.

    explicit Buckets(const Labels& labels) {
        const std::uint32_t count =
            labels.empty() ? 0 : 1 + *std::max_element(labels.begin(), labels.end());
        first.assign(count + 1, 0);
        for (const std::uint32_t label : labels) ++first[label + 1];
        for (std::size_t i = 0; i < count; ++i) first[i + 1] += first[i];
        triangles.resize(labels.size());
        std::vector<std::size_t> next(first.begin(), first.end() - 1);
        for (std::uint32_t t = 0; t < labels.size(); ++t) triangles[next[labels[t]]++] = t;
    }
    [[nodiscard]] std::size_t count() const { return first.size() - 1; }
    [[nodiscard]] std::span<const std::uint32_t> of(std::size_t label) const {
        return {triangles.data() + first[label], first[label + 1] - first[label]};
    }
};

/// A part with these of its triangles and the vertices that they use, in their order.
/// Cost: O(n log n) of the triangles kept.
Part withTriangles(const Part& part, std::span<const std::uint32_t> triangles,
                   std::size_t firstTriangle) {
    std::vector<std::uint32_t> indices;
    for (const std::uint32_t t : triangles) {
        const auto at = part.indices.begin() + std::ptrdiff_t(3 * (t - firstTriangle));
        indices.insert(indices.end(), at, at + 3);
    }
    std::vector<std::uint32_t> kept = indices;
    std::sort(kept.begin(), kept.end());
    kept.erase(std::unique(kept.begin(), kept.end()), kept.end());
    for (std::uint32_t& index : indices)
        index = static_cast<std::uint32_t>(std::lower_bound(kept.begin(), kept.end(), index) -
                                           kept.begin());
    return selectVertices(part, kept, std::move(indices));
}

/// The triangles of one label, which rise.
Mesh pieceOf(const Mesh& mesh, std::span<const std::uint32_t> triangles) {
    Mesh piece;
    piece.name = mesh.name;
    piece.rest = mesh.rest;
    std::size_t first = 0;
    for (const Part& part : mesh.parts) {
        const std::size_t end = first + part.triangleCount();
        const auto after = std::lower_bound(triangles.begin(), triangles.end(), end);
        const std::span<const std::uint32_t> own(triangles.begin(), after);
        if (!own.empty()) piece.parts.push_back(withTriangles(part, own, first));
        triangles = {after, triangles.end()};
        first = end;
    }
    return piece;
}

struct Pieces {
    std::vector<MeshPtr> meshes;  ///< Empty: stays whole.
    bool transparent = false, apart = false, cells = false;
};

/// Makes `labels` finer by `more`; true if it did.
bool refine(Labels& labels, const Labels& more) {
    std::unordered_map<std::uint64_t, std::uint32_t> both;
    std::uint32_t before = 0;
    for (const std::uint32_t label : labels) before = std::max(before, label + 1);
    for (std::size_t t = 0; t < labels.size(); ++t) {
        const std::uint64_t pair = std::uint64_t{labels[t]} << 32 | more[t];
        labels[t] = both.try_emplace(pair, static_cast<std::uint32_t>(both.size())).first->second;
    }
    return both.size() > before;
}

class Splitter {
public:
    Splitter(const Scene& scene, const SplitSettings& settings)
        : scene_(scene), settings_(settings), scales_(scene.assets.size(), 0) {
        for (const Object& object : scene.objects) {
            double& scale = elementOf(scales_, object.asset);
            scale = std::max(scale, object.scale);
        }
    }

    [[nodiscard]] Pieces split(std::size_t index, Progress& progress) const {
        const Asset& asset = scene_.assets[index];
        const Mesh& mesh = *asset.mesh;
        const double scale = scales_[index];
        Pieces pieces;
        if (!canSplit(asset) || !(scale > 0)) return pieces;
        Labels labels(mesh.triangles, 0);
        if (settings_.transparent)
            pieces.transparent = refine(labels, byTransparency(scene_, mesh));
        const bool cut = settings_.cell > 0 &&
                         mesh.bounds.sizes().maxCoeff() * scale > kMuchLarger * settings_.cell;
        const bool wide = mesh.bounds.diagonal().norm() * scale > settings_.minGap;
        if (cut || (settings_.minGap > 0 && wide)) {
            const WeldedMesh welded = weldPositions(mesh);
            if (settings_.minGap > 0 && wide) {
                if (progress.cancelled()) return {};
                const Labels loose = byPiece(welded, settings_.minGap / scale);
                if (progress.cancelled()) return {};
                pieces.apart = refine(labels, loose);
            }
            if (cut) {
                if (progress.cancelled()) return {};
                pieces.cells = refine(
                    labels,
                    byCell(welded, mesh.bounds,
                           cellCounts(mesh.bounds, settings_.cell / scale, mesh.triangles,
                                      static_cast<std::size_t>(settings_.minCellTriangles))));
            }
        }
        if (progress.cancelled()) return {};
        const Buckets buckets(labels);
        for (std::size_t label = 0; buckets.count() > 1 && label < buckets.count(); ++label) {
            if (progress.cancelled()) return {};
            Mesh piece = pieceOf(mesh, buckets.of(label));
            if (label > 0) piece.name = fmt::format("{} {}", mesh.name, label + 1);
            pieces.meshes.push_back(finishMesh(std::move(piece)));
        }
        return pieces;
    }

    /// Levels belong to the whole; what bends hangs together.
    static bool canSplit(const Asset& asset) {
        const auto& parts = asset.mesh->parts;
        return asset.ladder.empty() && asset.importance != Importance::Keep &&
               std::all_of(parts.begin(), parts.end(), [](const Part& part) {
                   return part.isTriangles() && !part.isDeformable();
               });
    }

private:
    const Scene& scene_;
    const SplitSettings& settings_;
    std::vector<double> scales_;  ///< [assets] Largest of the copies.
};

/// What became of each mesh that was cut, most pieces first.
SplitReport reportOf(const Scene& before, const Scene& after, const std::vector<Pieces>& all) {
    SplitReport report;
    std::vector<std::size_t> copies(before.assets.size(), 0);
    for (const Object& object : before.objects) ++elementOf(copies, object.asset);
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (all[i].meshes.empty()) continue;
        const auto glass =
            std::count_if(all[i].meshes.begin(), all[i].meshes.end(),
                          [&](const MeshPtr& mesh) { return isTransparent(after, *mesh); });
        report.meshes.push_back({before.assets[i].mesh->name, all[i].meshes.size(), copies[i],
                                 static_cast<std::size_t>(glass)});
    }
    std::stable_sort(report.meshes.begin(), report.meshes.end(),
                     [](const SplitMesh& a, const SplitMesh& b) { return a.pieces > b.pieces; });
    return report;
}

FixRecord describeSplits(const Scene& before, const Scene& after, const std::vector<Pieces>& all) {
    std::size_t split = 0;
    std::size_t transparent = 0;
    std::size_t apart = 0;
    std::size_t cells = 0;
    std::size_t refused = 0;
    for (std::size_t i = 0; i < all.size(); ++i) {
        split += !all[i].meshes.empty();
        transparent += all[i].transparent;
        apart += all[i].apart;
        cells += all[i].cells;
        refused += !Splitter::canSplit(before.assets[i]);
    }
    FixRecord record;
    record.summary =
        fmt::format("{} split: {} by transparency, {} into loose pieces, {} into cells; {} more",
                    countOf(split, before.assets.size(), "asset"), transparent, apart, cells,
                    counted(after.objects.size() - before.objects.size(), "object"));
    if (refused > 0)
        record.notes.push_back(
            fmt::format("{} whole: skinned, morphed, with levels already, or marked to be kept",
                        counted(refused, "asset stays", "assets stay")));
    return record;
}

}  // namespace

Expected<Fixed> applySplit(const Scene& scene, const SplitSettings& settings, Progress& progress) {
    const Splitter splitter(scene, settings);
    std::vector<Pieces> pieces(scene.assets.size());
    CancelOnly quiet(progress);
    const bool finished = parallelFor(pieces.size(), "Splitting", progress,
                                      [&](std::size_t i) { pieces[i] = splitter.split(i, quiet); });
    if (!finished || progress.cancelled()) return stopped("Splitting");
    Fixed result{scene, {}};
    std::vector<std::vector<Replacement>> instead(scene.assets.size());
    for (std::size_t i = 0; i < pieces.size(); ++i)
        for (const MeshPtr& mesh : pieces[i].meshes) {
            Asset asset = scene.assets[i];
            asset.mesh = mesh;
            asset.ranges.clear();
            instead[i].push_back({static_cast<int>(result.scene.assets.size()), Mat4d::Identity()});
            result.scene.assets.push_back(std::move(asset));
        }
    instead.resize(result.scene.assets.size());
    replaceAssets(result.scene, instead);
    dropUnusedAssets(result.scene);
    result.record = describeSplits(scene, result.scene, pieces);
    result.record.report =
        std::make_shared<const SplitReport>(reportOf(scene, result.scene, pieces));
    return result;
}

}  // namespace flentro
