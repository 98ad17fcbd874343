#include "geometry/contacts.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>
#include <map>

#include "base/disjoint_sets.h"
#include "base/index.h"

namespace flentro {
namespace {

constexpr double kCovered = 0.99;      ///< Of a triangle's area.
constexpr double kPlane = 1e-5;        ///< Of the mesh's size.
constexpr double kRounding = 1e-6;     ///< Of the farthest coordinate.
constexpr double kNormalSteps = 1024;  ///< Of a normal's components, to find equal planes by.

using Corner2 = Eigen::Vector2d;

/// A triangle in its plane.
struct Face {
    std::uint32_t triangle = 0;
    bool turned = false;  ///< Faces against the plane's normal.
    std::array<Corner2, 3> corners;
    double area = 0;
    Corner2 low, high;
};

Vec3d placeOf(const WeldedMesh& mesh, std::uint32_t triangle, std::size_t corner) {
    return mesh.points[mesh.corners[3 * triangle + corner]].cast<double>();
}

/// Twice the signed area of a polygon.
double doubleArea(const std::vector<Corner2>& polygon) {
    double sum = 0;
    for (std::size_t i = 0; i < polygon.size(); ++i) {
        const Corner2& a = polygon[i];
        const Corner2& b = polygon[(i + 1) % polygon.size()];
        sum += a.x() * b.y() - a.y() * b.x();
    }
    return sum;
}

/// Area that two triangles have in common (Sutherland & Hodgman 1974).
double commonArea(const Face& one, const Face& other) {
    std::vector<Corner2> polygon(one.corners.begin(), one.corners.end());
    std::array<Corner2, 3> window = other.corners;
    if (doubleArea({window.begin(), window.end()}) < 0) std::swap(window[1], window[2]);
    for (std::size_t k = 0; k < 3 && !polygon.empty(); ++k) {
        const Corner2& from = window[k];
        const Corner2 along = window[(k + 1) % 3] - from;
        const auto side = [&](const Corner2& p) {
            const Corner2 d = p - from;
            return along.x() * d.y() - along.y() * d.x();
        };
        std::vector<Corner2> kept;
        for (std::size_t i = 0; i < polygon.size(); ++i) {
            const Corner2& a = polygon[i];
            const Corner2& b = polygon[(i + 1) % polygon.size()];
            const double sa = side(a), sb = side(b);
            if (sa >= 0) kept.push_back(a);
            if ((sa < 0) != (sb < 0)) kept.emplace_back(a + (b - a) * (sa / (sa - sb)));
        }
        polygon = std::move(kept);
    }
    return std::fabs(doubleArea(polygon)) / 2;
}

/// [points] The piece that each belongs to, by shared corners.
DisjointSets piecesOf(const WeldedMesh& mesh) {
    DisjointSets pieces(mesh.points.size());
    for (std::size_t c = 0; c + 2 < mesh.corners.size(); c += 3) {
        pieces.join(mesh.corners[c], mesh.corners[c + 1]);
        pieces.join(mesh.corners[c], mesh.corners[c + 2]);
    }
    return pieces;
}

/// [points] False for pieces with an edge that does not run as often each way.
std::vector<bool> closedPieces(const WeldedMesh& mesh, DisjointSets& pieces) {
    std::vector<std::pair<std::uint64_t, std::int32_t>> edges;
    for (std::size_t c = 0; c < mesh.corners.size(); ++c) {
        const std::uint32_t from = mesh.corners[c];
        const std::uint32_t to = mesh.corners[c % 3 == 2 ? c - 2 : c + 1];
        const auto [low, high] = std::minmax(from, to);
        if (from != to) edges.emplace_back(std::uint64_t{low} << 32 | high, from < to ? 1 : -1);
    }
    std::sort(edges.begin(), edges.end());
    std::vector<bool> closed(mesh.points.size(), true);
    for (std::size_t i = 0; i < edges.size();) {
        int balance = 0;
        std::size_t end = i;
        for (; end < edges.size() && edges[end].first == edges[i].first; ++end)
            balance += edges[end].second;
        if (balance != 0)
            closed[pieces.find(static_cast<std::uint32_t>(edges[i].first >> 32))] = false;
        i = end;
    }
    return closed;
}

/// Faces by plane: components of the normal in steps, and the distance from the origin.
class Planes {
public:
    explicit Planes(const WeldedMesh& mesh) : mesh_(mesh) {
        Box box;
        for (const Vec3f& point : mesh.points) box.extend(point.cast<double>());
        if (box.isEmpty()) return;
        const double farthest =
            std::max(box.min().cwiseAbs().maxCoeff(), box.max().cwiseAbs().maxCoeff());
        tolerance_ = std::max({kPlane * box.sizes().norm(), kRounding * farthest, 1e-30});
    }

    void add(std::uint32_t triangle) {
        const std::array<Vec3d, 3> p = {placeOf(mesh_, triangle, 0), placeOf(mesh_, triangle, 1),
                                        placeOf(mesh_, triangle, 2)};
        const Vec3d cross = (p[1] - p[0]).cross(p[2] - p[0]);
        const double size = cross.norm();
        if (!(size > 1e-7 * (p[1] - p[0]).squaredNorm())) return;
        Vec3d normal = cross / size;
        Face face;
        face.triangle = triangle;
        face.area = size / 2;
        Eigen::Index axis = 0;
        normal.cwiseAbs().maxCoeff(&axis);
        face.turned = normal[axis] < 0;
        if (face.turned) normal = -normal;
        const Vec3d u = normal.cross(Vec3d::Unit((axis + 1) % 3)).normalized();
        const Vec3d v = normal.cross(u);
        for (std::size_t k = 0; k < 3; ++k) face.corners[k] = {u.dot(p[k]), v.dot(p[k])};
        face.low = face.corners[0].cwiseMin(face.corners[1]).cwiseMin(face.corners[2]);
        face.high = face.corners[0].cwiseMax(face.corners[1]).cwiseMax(face.corners[2]);
        const auto step = [](double value, double scale) {
            return static_cast<std::int64_t>(std::llround(value * scale));
        };
        faces_[{step(normal.x(), kNormalSteps), step(normal.y(), kNormalSteps),
                step(normal.z(), kNormalSteps), step(normal.dot(p[0]), 1 / tolerance_)}]
            .push_back(face);
    }

    /// Calls mark(triangle) for each face that those of the other facing cover.
    template <typename Mark>
    void covered(Mark&& mark) {
        std::vector<double> area(mesh_.corners.size() / 3, 0);
        for (auto& [plane, faces] : faces_) {
            // Planes next to each other may be one that rounding has parted.
            std::vector<const Face*> together;
            for (const Face& face : faces) together.push_back(&face);
            auto next = plane;
            ++next[3];
            if (const auto it = faces_.find(next); it != faces_.end())
                for (const Face& face : it->second) together.push_back(&face);
            cover(together, faces.size(), area);
        }
        for (const auto& [plane, faces] : faces_)
            for (const Face& face : faces)
                if (area[face.triangle] >= kCovered * face.area) mark(face.triangle);
    }

    [[nodiscard]] double tolerance() const { return tolerance_; }

private:
    /// Adds what pairs have in common, unless both are of the second plane.
    static void cover(std::vector<const Face*>& faces, std::size_t own, std::vector<double>& area) {
        std::vector<std::pair<const Face*, bool>> order;
        Corner2 low = Corner2::Constant(1e300), high = -low;
        bool ways[2] = {false, false};
        for (std::size_t i = 0; i < faces.size(); ++i) {
            order.emplace_back(faces[i], i < own);
            low = low.cwiseMin(faces[i]->low);
            high = high.cwiseMax(faces[i]->high);
            ways[faces[i]->turned] = true;
        }
        if (!ways[0] || !ways[1]) return;
        const int axis = (high - low).x() >= (high - low).y() ? 0 : 1;
        std::stable_sort(order.begin(), order.end(), [axis](const auto& a, const auto& b) {
            return a.first->low[axis] < b.first->low[axis];
        });
        for (std::size_t i = 0; i < order.size(); ++i)
            for (std::size_t k = i + 1; k < order.size(); ++k) {
                const Face &a = *order[i].first, &b = *order[k].first;
                if (b.low[axis] >= a.high[axis]) break;
                if (a.turned == b.turned || (!order[i].second && !order[k].second) ||
                    a.low[1 - axis] >= b.high[1 - axis] || b.low[1 - axis] >= a.high[1 - axis])
                    continue;
                const double common = commonArea(a, b);
                area[a.triangle] += common;
                area[b.triangle] += common;
            }
    }

    const WeldedMesh& mesh_;
    double tolerance_ = 1;
    std::map<std::array<std::int64_t, 4>, std::vector<Face>> faces_;
};

/// How many closed pieces a point lies inside of, from the crossings of a ray along an axis.
class Windings {
public:
    /// Cost: O(T), and for each count the triangles of one column.
    explicit Windings(const WeldedMesh& mesh, std::vector<std::uint32_t> triangles)
        : mesh_(mesh), triangles_(std::move(triangles)) {
        for (const std::uint32_t t : triangles_)
            for (std::size_t k = 0; k < 3; ++k) box_.extend(placeOf(mesh_, t, k));
        cells_ = std::clamp(static_cast<int>(std::sqrt(static_cast<double>(triangles_.size()))), 1,
                            2048);
    }

    [[nodiscard]] int count(const Vec3d& point, int axis) {
        const std::vector<std::vector<std::uint32_t>>& columns = columnsAlong(axis);
        const int u = (axis + 1) % 3, v = (axis + 2) % 3;
        int winding = 0;
        for (const std::uint32_t t : columns[cellOf(point[u], u) * cells() + cellOf(point[v], v)]) {
            const std::array<Vec3d, 3> p = {placeOf(mesh_, t, 0), placeOf(mesh_, t, 1),
                                            placeOf(mesh_, t, 2)};
            double sides[3];
            for (std::size_t k = 0; k < 3; ++k) {
                const Vec3d& a = p[k];
                const Vec3d& b = p[(k + 1) % 3];
                sides[k] = (b[u] - a[u]) * (point[v] - a[v]) - (b[v] - a[v]) * (point[u] - a[u]);
            }
            const double area = sides[0] + sides[1] + sides[2];
            if (area == 0 || sides[0] * area < 0 || sides[1] * area < 0 || sides[2] * area < 0)
                continue;
            const double height =
                (p[2][axis] * sides[0] + p[0][axis] * sides[1] + p[1][axis] * sides[2]) / area;
            if (height > point[axis]) winding += area > 0 ? 1 : -1;
        }
        return winding;
    }

private:
    [[nodiscard]] std::size_t cells() const { return static_cast<std::size_t>(cells_); }
    [[nodiscard]] std::size_t cellOf(double value, int axis) const {
        const double size = std::max(box_.sizes()[axis], 1e-30);
        const double cell = (value - box_.min()[axis]) / size * cells_;
        return static_cast<std::size_t>(std::clamp(cell, 0.0, static_cast<double>(cells_ - 1)));
    }
    const std::vector<std::vector<std::uint32_t>>& columnsAlong(int axis) {
        auto& columns = elementOf(columns_, axis);
        if (!columns.empty()) return columns;
        columns.resize(cells() * cells());
        const int u = (axis + 1) % 3, v = (axis + 2) % 3;
        for (const std::uint32_t t : triangles_) {
            Box box;
            for (std::size_t k = 0; k < 3; ++k) box.extend(placeOf(mesh_, t, k));
            for (std::size_t i = cellOf(box.min()[u], u); i <= cellOf(box.max()[u], u); ++i)
                for (std::size_t j = cellOf(box.min()[v], v); j <= cellOf(box.max()[v], v); ++j)
                    columns[i * cells() + j].push_back(t);
        }
        return columns;
    }

    const WeldedMesh& mesh_;
    std::vector<std::uint32_t> triangles_;
    Box box_;
    int cells_ = 1;
    std::array<std::vector<std::vector<std::uint32_t>>, 3> columns_;
};

/// True if what is just before a triangle lies inside of a closed piece: sheets of two layers
/// cover each other as well, but both show.
bool isBuried(const WeldedMesh& mesh, std::uint32_t triangle, double step, Windings& windings) {
    const auto at = [&](std::size_t k) { return placeOf(mesh, triangle, k); };
    const Vec3d normal = (at(1) - at(0)).cross(at(2) - at(0)).normalized();
    Eigen::Index axis = 0;
    normal.cwiseAbs().maxCoeff(&axis);
    // Off the middle, where diagonals of other faces would be hit.
    const Vec3d inside = 0.437 * at(0) + 0.331 * at(1) + 0.232 * at(2);
    return windings.count(inside + step * normal, static_cast<int>(axis)) > 0;
}

}  // namespace

std::vector<bool> coveredFaces(const WeldedMesh& mesh, const std::vector<bool>& isSolid) {
    const std::size_t triangles = mesh.corners.size() / 3;
    assert(isSolid.size() == triangles);
    DisjointSets pieces = piecesOf(mesh);
    const std::vector<bool> closed = closedPieces(mesh, pieces);
    Planes planes(mesh);
    std::vector<std::uint32_t> solid;
    for (std::uint32_t t = 0; t < triangles; ++t)
        if (isSolid[t] && closed[pieces.find(mesh.corners[3 * t])]) {
            planes.add(t);
            solid.push_back(t);
        }
    Windings windings(mesh, std::move(solid));
    std::vector<bool> covered(triangles, false);
    planes.covered(
        [&](std::uint32_t t) { covered[t] = isBuried(mesh, t, 2 * planes.tolerance(), windings); });
    return covered;
}

}  // namespace flentro
