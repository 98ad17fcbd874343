#include "fixes/part_size/part_size.h"

#include <fmt/format.h>

#include <algorithm>
#include <numeric>

#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxShort = 65534;  ///< Vertices that indices of two bytes reach.
constexpr std::size_t kMin = 100;         ///< Fewer would make parts without number.

using Triangles = std::vector<std::uint32_t>;  ///< Of a part, ascending.

/// Cuts the triangles of one part.
class Cutter {
public:
    Cutter(const Part& part, std::size_t maxVertices)
        : part_(part), maxVertices_(maxVertices), seenIn_(part.vertexCount(), 0) {
        const std::vector<Vec3f> points = positionsOf(part);
        forEachTriangle(part, [&](const Corners& t) {
            middles_.push_back((points[t[0]] + points[t[1]] + points[t[2]]) / 3);
        });
    }

    /// In the order in which they lie along the cuts.
    std::vector<Triangles> run(const Progress& progress) {
        Triangles all(middles_.size());
        std::iota(all.begin(), all.end(), 0U);
        cut(std::move(all), progress);
        return std::move(pieces_);
    }

private:
    void cut(Triangles some, const Progress& progress) {
        if (countVertices(some) <= maxVertices_ || some.size() < 2 || progress.cancelled()) {
            std::sort(some.begin(), some.end());
            pieces_.push_back(std::move(some));
            return;
        }
        Eigen::AlignedBox3f box;
        for (const std::uint32_t t : some) box.extend(middles_[t]);
        int axis = 0;
        box.sizes().maxCoeff(&axis);
        const auto middle = some.begin() + static_cast<std::ptrdiff_t>(some.size() / 2);
        std::nth_element(some.begin(), middle, some.end(), [&](std::uint32_t a, std::uint32_t b) {
            return std::pair(middles_[a][axis], a) < std::pair(middles_[b][axis], b);
        });
        Triangles upper(middle, some.end());
        some.erase(middle, some.end());
        cut(std::move(some), progress);
        cut(std::move(upper), progress);
    }

    [[nodiscard]] std::size_t countVertices(const Triangles& some) {
        ++round_;
        std::size_t count = 0;
        for (const std::uint32_t t : some)
            for (std::size_t k = 0; k < 3; ++k) {
                std::uint32_t& seen = seenIn_[part_.indices[3 * std::size_t{t} + k]];
                count += seen != round_;
                seen = round_;
            }
        return count;
    }

    const Part& part_;
    const std::size_t maxVertices_;
    std::vector<Vec3f> middles_;         ///< [triangles]
    std::vector<std::uint32_t> seenIn_;  ///< [vertices] The round that counted each last.
    std::uint32_t round_ = 0;
    std::vector<Triangles> pieces_;
};

Part pieceOf(const Part& part, const Triangles& triangles) {
    Part piece = part;
    piece.indices.clear();
    for (const std::uint32_t t : triangles)
        piece.indices.insert(piece.indices.end(), part.indices.begin() + std::ptrdiff_t{3} * t,
                             part.indices.begin() + std::ptrdiff_t{3} * t + 3);
    return dropUnusedVertices(piece);
}

/// The triangles of a range that are in a piece: they follow each other there as well.
MergedRange within(const MergedRange& range, const Triangles& piece, std::size_t part) {
    const auto from = std::lower_bound(piece.begin(), piece.end(), range.first);
    const auto to = std::lower_bound(from, piece.end(), range.first + range.triangles);
    MergedRange result = range;
    result.part = static_cast<std::uint32_t>(part);
    result.first = static_cast<std::uint32_t>(from - piece.begin());
    result.triangles = static_cast<std::uint32_t>(to - from);
    return result;
}

/// What became of one mesh.
struct Sized {
    MeshPtr mesh;
    std::vector<MergedRange> ranges;
    std::size_t more = 0;  ///< Parts.
};

Sized sized(const MeshPtr& mesh, const std::vector<MergedRange>& ranges, std::size_t maxVertices,
            const Progress& progress) {
    Sized result{mesh, ranges, 0};
    const auto fits = [&](const Part& part) {
        return !part.isTriangles() || part.vertexCount() <= maxVertices;
    };
    if (std::all_of(mesh->parts.begin(), mesh->parts.end(), fits)) return result;
    Mesh copy = *mesh;
    copy.parts.clear();
    result.ranges.clear();
    for (std::size_t p = 0; p < mesh->parts.size(); ++p) {
        const Part& part = mesh->parts[p];
        std::vector<Triangles> pieces(1);
        if (fits(part)) {
            pieces[0].resize(part.triangleCount());
            std::iota(pieces[0].begin(), pieces[0].end(), 0U);
        } else {
            pieces = Cutter(part, maxVertices).run(progress);
        }
        for (const Triangles& piece : pieces) {
            for (const MergedRange& range : ranges)
                if (const auto inside = within(range, piece, copy.parts.size());
                    range.part == p && inside.triangles > 0)
                    result.ranges.push_back(inside);
            copy.parts.push_back(fits(part) ? part : pieceOf(part, piece));
        }
    }
    result.more = copy.parts.size() - mesh->parts.size();
    result.mesh = finishMesh(std::move(copy));
    return result;
}

std::size_t mostVertices(const PartSizeSettings& settings, const Target& target) {
    if (settings.maxVertices > 0) return std::max(settings.maxVertices, kMin);
    const double limit = at(target.limits, Measure::VerticesPerMesh);
    if (!(limit < static_cast<double>(kMaxShort))) return kMaxShort;
    return std::max(kMin, static_cast<std::size_t>(limit));
}

}  // namespace

Expected<Fixed> applyPartSize(const Scene& scene, const PartSizeSettings& settings,
                              const Target& target, Progress& progress) {
    Fixed result{scene, {}};
    const std::size_t most = mostVertices(settings, target);
    std::vector<std::size_t> more(scene.assets.size(), 0);
    const bool finished =
        parallelFor(scene.assets.size(), "Cutting parts", progress, [&](std::size_t i) {
            Asset& asset = result.scene.assets[i];
            if (asset.importance == Importance::Keep) return;
            for (std::size_t level = 0; level < asset.levelCount(); ++level) {
                MeshPtr& mesh = level == 0 ? asset.mesh : asset.ladder.levels[level - 1].mesh;
                Sized cut = sized(mesh, level == 0 ? asset.ranges : std::vector<MergedRange>(),
                                  most, progress);
                mesh = cut.mesh;
                if (level == 0) asset.ranges = std::move(cut.ranges);
                more[i] += cut.more;
            }
        });
    if (!finished || progress.cancelled()) return stopped("Cutting parts");
    const auto changed = std::count_if(more.begin(), more.end(), [](auto n) { return n > 0; });
    result.record.summary =
        fmt::format("{} in parts of at most {}: {} more",
                    countOf(static_cast<std::size_t>(changed), scene.assets.size(), "asset"),
                    counted(most, "vertex", "vertices"),
                    counted(std::accumulate(more.begin(), more.end(), std::size_t{0}), "part"));
    std::size_t kept = 0;
    for (const Asset& asset : scene.assets)
        for (const Part& part : asset.mesh->parts)
            kept += asset.importance == Importance::Keep && part.vertexCount() > most;
    if (kept > 0)
        result.record.notes.push_back(fmt::format("{} larger: their assets are to be kept",
                                                  counted(kept, "part stays", "parts stay")));
    return result;
}

}  // namespace flentro
