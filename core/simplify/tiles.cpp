#include "simplify/tiles.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <map>
#include <numeric>
#include <span>

#include "geometry/weld.h"

namespace flentro {
namespace {

constexpr double kSameDirection = 1 - 1e-6;  ///< Cosine.
constexpr double kSamePicture = 1e-4;        ///< Of texture coordinates, and of their gradients.

/// How the picture mappings on one triangle.
struct UvMapping {
    Vec3d normal = Vec3d::Zero();
    Vec3d across = Vec3d::Zero();  ///< Gradient of u, a metre.
    Vec3d down = Vec3d::Zero();    ///< Gradient of v.
    [[nodiscard]] bool isFlat() const { return normal.isZero() || !across.allFinite(); }
};

class TileJoiner {
public:
    explicit TileJoiner(const Part& part)
        : part_(part),
          points_(positionsOf(part)),
          same_(firstEqualPosition(points_)),
          mappings_(part.triangleCount()),
          shifts_(part.triangleCount(), Vec2i(0, 0)),
          neighbours_(3 * part.triangleCount(), kNone) {
        const Stream& coords = *part.find("TEXCOORD_0");
        for (std::size_t i = 0; i < points_.size(); ++i)
            coords_.emplace_back(static_cast<double>(coords.value(i, 0)),
                                 static_cast<double>(coords.value(i, 1)));
        for (std::size_t t = 0; t < mappings_.size(); ++t) mappings_[t] = uvMappingOf(t);
    }

    std::optional<Part> run() {
        findNeighbours();
        for (std::size_t t = 0; t < mappings_.size(); ++t) fill(t);
        if (std::all_of(shifts_.begin(), shifts_.end(), [](const Vec2i& s) { return s.isZero(); }))
            return std::nullopt;
        return rebuild();
    }

private:
    static constexpr std::uint32_t kNone = ~0U;
    using Vec2d = Eigen::Vector2d;
    using Vec2i = Eigen::Vector2i;

    [[nodiscard]] std::uint32_t corner(std::size_t triangle, std::size_t k) const {
        return part_.indices[3 * triangle + k % 3];
    }
    [[nodiscard]] Vec3d at(std::uint32_t vertex) const { return points_[vertex].cast<double>(); }

    [[nodiscard]] UvMapping uvMappingOf(std::size_t t) const {
        const Vec3d p = at(corner(t, 1)) - at(corner(t, 0));
        const Vec3d q = at(corner(t, 2)) - at(corner(t, 0));
        const Vec3d normal = p.cross(q);
        const double whole = normal.squaredNorm();
        if (!(whole > 0)) return {};
        // Dual vectors of p and q in the plane.
        const Vec3d toP = q.cross(normal) / whole;
        const Vec3d toQ = normal.cross(p) / whole;
        const Vec2d du = coords_[corner(t, 1)] - coords_[corner(t, 0)];
        const Vec2d dv = coords_[corner(t, 2)] - coords_[corner(t, 0)];
        return {normal / std::sqrt(whole), du.x() * toP + dv.x() * toQ,
                du.y() * toP + dv.y() * toQ};
    }

    /// Edges are sorted by the lower of their two positions first, which takes no comparisons.
    void findNeighbours() {
        const auto ends = [&](std::size_t i) {
            const std::size_t t = i / 3;
            return std::minmax(same_[corner(t, i)], same_[corner(t, i + 1)]);
        };
        const std::size_t edges = 3 * mappings_.size();
        std::vector<std::size_t> firsts(points_.size() + 1, 0);
        for (std::size_t i = 0; i < edges; ++i) ++firsts[std::size_t{ends(i).first} + 1];
        std::partial_sum(firsts.begin(), firsts.end(), firsts.begin());
        std::vector<std::pair<std::uint32_t, std::uint32_t>> sorted(edges);  // upper end, edge
        std::vector<std::size_t> next(firsts.begin(), firsts.end() - 1);
        for (std::size_t i = 0; i < edges; ++i)
            sorted[next[ends(i).first]++] = {ends(i).second, static_cast<std::uint32_t>(i)};
        for (std::size_t p = 0; p < points_.size(); ++p) {
            const auto begin = sorted.begin() + static_cast<std::ptrdiff_t>(firsts[p]);
            const auto end = sorted.begin() + static_cast<std::ptrdiff_t>(firsts[p + 1]);
            std::sort(begin, end);
            joinPairs({begin, end});
        }
    }

    /// Of edges that start at one position: those that exactly two triangles share.
    void joinPairs(std::span<const std::pair<std::uint32_t, std::uint32_t>> edges) {
        for (std::size_t i = 0; i < edges.size();) {
            std::size_t end = i + 1;
            while (end < edges.size() && edges[end].first == edges[i].first) ++end;
            if (end - i == 2) {
                neighbours_[edges[i].second] = edges[i + 1].second / 3;
                neighbours_[edges[i + 1].second] = edges[i].second / 3;
            }
            i = end;
        }
    }

    /// Where the picture on `to` is by whole numbers against that on `from`; nothing if the two do
    /// not run on.
    [[nodiscard]] std::optional<Vec2i> shiftBetween(std::size_t from, std::size_t to,
                                                    std::uint32_t a, std::uint32_t b) const {
        const UvMapping& f = mappings_[from];
        const UvMapping& t = mappings_[to];
        const double scale = std::max(f.across.norm(), f.down.norm());
        if (f.isFlat() || t.isFlat() || f.normal.dot(t.normal) < kSameDirection ||
            (f.across - t.across).norm() > kSamePicture * scale ||
            (f.down - t.down).norm() > kSamePicture * scale)
            return std::nullopt;
        std::optional<Vec2i> shift;
        for (const std::uint32_t shared : {a, b}) {
            const Vec2d apart = coordAt(from, shared) - coordAt(to, shared);
            const Vec2d whole(std::round(apart.x()), std::round(apart.y()));
            if ((apart - whole).cwiseAbs().maxCoeff() > kSamePicture) return std::nullopt;
            const Vec2i steps = whole.cast<int>();
            if (shift && *shift != steps) return std::nullopt;
            shift = steps;
        }
        return shift;
    }

    [[nodiscard]] const Vec2d& coordAt(std::size_t triangle, std::uint32_t position) const {
        std::size_t k = 0;
        while (k < 2 && same_[corner(triangle, k)] != position) ++k;
        return coords_[corner(triangle, k)];
    }

    /// Gives all triangles that run on from this one its field's shift.
    void fill(std::size_t start) {
        if (!field_.empty() && field_[start] != 0) return;
        if (field_.empty()) field_.assign(mappings_.size(), 0);
        field_[start] = ++fields_;
        std::vector<std::size_t> open = {start};
        while (!open.empty()) {
            const std::size_t t = open.back();
            open.pop_back();
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t next = neighbours_[3 * t + k];
                if (next == kNone || field_[next] != 0) continue;
                const auto shift =
                    shiftBetween(t, next, same_[corner(t, k)], same_[corner(t, k + 1)]);
                if (!shift) continue;
                field_[next] = fields_;
                shifts_[next] = shifts_[t] + *shift;
                open.push_back(next);
            }
        }
    }

    /// A vertex for each corner, those of one place in one field with the same coordinates; then
    /// the equal ones welded.
    [[nodiscard]] Part rebuild() const {
        Part apart = selectVertices(part_, part_.indices, counted(part_.indices.size()));
        Stream coords = *apart.find("TEXCOORD_0");
        std::map<std::pair<std::size_t, std::uint32_t>, Vec2d> known;
        for (std::size_t i = 0; i < part_.indices.size(); ++i) {
            const std::size_t t = i / 3;
            const Vec2d shifted = coords_[part_.indices[i]] + shifts_[t].cast<double>();
            const auto [at, isNew] =
                known.try_emplace({field_[t], same_[part_.indices[i]]}, shifted);
            const bool runsOn = (at->second - shifted).cwiseAbs().maxCoeff() <= 2 * kSamePicture;
            const Vec2d value = runsOn ? at->second : shifted;
            coords.set(i, 0, static_cast<float>(value.x()));
            coords.set(i, 1, static_cast<float>(value.y()));
        }
        apart.set("TEXCOORD_0", std::move(coords));
        const std::vector<std::uint32_t> first = firstEqualVertex(apart);
        for (std::uint32_t& index : apart.indices) index = first[index];
        return dropUnusedVertices(apart);
    }

    [[nodiscard]] static std::vector<std::uint32_t> counted(std::size_t count) {
        std::vector<std::uint32_t> indices(count);
        for (std::uint32_t i = 0; i < count; ++i) indices[i] = i;
        return indices;
    }

    const Part& part_;
    std::vector<Vec3f> points_;
    std::vector<std::uint32_t> same_;
    std::vector<Vec2d> coords_;
    std::vector<UvMapping> mappings_;  ///< [triangles]
    std::vector<Vec2i> shifts_;        ///< [triangles]
    std::vector<std::size_t> field_;
    std::size_t fields_ = 0;
    std::vector<std::uint32_t> neighbours_;  ///< [triangles * 3] Across the edge from each corner.
};

}  // namespace

std::optional<Part> joinTiles(const Part& part) {
    const Stream* coords = part.find("TEXCOORD_0");
    // Whole numbers would not stay whole in quantised coordinates.
    if (!part.isTriangles() || part.indices.empty() || !part.targets.empty() || !coords ||
        coords->type != ComponentType::Float32 || coords->components != 2)
        return std::nullopt;
    return TileJoiner(part).run();
}

}  // namespace flentro
