#include "support/textbook_collapse.h"

#include <Eigen/LU>
#include <algorithm>
#include <queue>
#include <set>

#include "geometry/weld.h"
#include "support/meshes.h"

namespace flentro::test {
namespace {

using Triangle = std::array<std::uint32_t, 3>;

struct Entry {
    double cost;
    std::uint32_t a, b, stampA, stampB;
    Vec3d position;
    bool operator<(const Entry& other) const { return cost > other.cost; }
};

class Textbook {
public:
    explicit Textbook(const Mesh& mesh) {
        const WeldedMesh welded = weldPositions(mesh);
        for (const Vec3f& point : welded.points) points_.push_back(point.cast<double>());
        faces_.resize(points_.size());
        stamps_.assign(points_.size(), 0);
        quadrics_.assign(points_.size(), Eigen::Matrix4d::Zero());
        for (std::size_t i = 0; i < welded.corners.size(); i += 3)
            add({welded.corners[i], welded.corners[i + 1], welded.corners[i + 2]});
        for (std::uint32_t t = 0; t < triangles_.size(); ++t) addPlanes(t);
        for (std::uint32_t v = 0; v < points_.size(); ++v)
            for (const std::uint32_t w : neighbours(v))
                if (v < w) push(v, w);
    }

    Mesh run(std::size_t wanted) {
        while (alive_ > wanted && !heap_.empty()) {
            const Entry entry = heap_.top();
            heap_.pop();
            if (stamps_[entry.a] != entry.stampA || stamps_[entry.b] != entry.stampB) continue;
            if (isAllowed(entry)) join(entry);
        }
        return result();
    }

private:
    void add(const Triangle& t) {
        if (t[0] == t[1] || t[1] == t[2] || t[0] == t[2]) return;
        for (const std::uint32_t v : t)
            faces_[v].push_back(static_cast<std::uint32_t>(triangles_.size()));
        triangles_.push_back(t);
        gone_.push_back(false);
        ++alive_;
    }
    Vec3d cross(const Triangle& t) const {
        return (points_[t[1]] - points_[t[0]]).cross(points_[t[2]] - points_[t[0]]);
    }
    void addPlane(const Vec3d& normal, const Vec3d& at, double weight, const Triangle& t) {
        const Eigen::Vector4d plane(normal.x(), normal.y(), normal.z(), -normal.dot(at));
        for (const std::uint32_t v : t) quadrics_[v] += weight * plane * plane.transpose();
    }
    void addPlanes(std::uint32_t index) {
        const Triangle& t = triangles_[index];
        const Vec3d n = cross(t);
        if (n.norm() <= 0) return;
        addPlane(n.normalized(), points_[t[0]], n.norm(), t);
        for (std::size_t c = 0; c < 3; ++c) {
            const std::uint32_t a = t[c], b = t[(c + 1) % 3];
            if (facesAt(a, b) != 1) continue;
            const Vec3d edge = points_[b] - points_[a];
            if (edge.norm() <= 0) continue;
            addPlane(n.cross(edge).normalized(), points_[a], edge.squaredNorm(), {a, b, b});
        }
    }
    std::size_t facesAt(std::uint32_t a, std::uint32_t b) const {
        std::size_t count = 0;
        for (const std::uint32_t f : faces_[a])
            count += std::count(triangles_[f].begin(), triangles_[f].end(), b) > 0;
        return count;
    }
    std::set<std::uint32_t> neighbours(std::uint32_t v) const {
        std::set<std::uint32_t> result;
        for (const std::uint32_t f : faces_[v])
            result.insert(triangles_[f].begin(), triangles_[f].end());
        result.erase(v);
        return result;
    }
    void push(std::uint32_t a, std::uint32_t b) {
        const Eigen::Matrix4d q = quadrics_[a] + quadrics_[b];
        const auto costAt = [&](const Vec3d& p) {
            const Eigen::Vector4d h(p.x(), p.y(), p.z(), 1);
            return std::max(h.dot(q * h), 0.0);
        };
        std::vector<Vec3d> positions = {(points_[a] + points_[b]) / 2, points_[a], points_[b]};
        const Eigen::Matrix3d form = q.topLeftCorner<3, 3>();
        const Eigen::FullPivLU<Eigen::Matrix3d> solver(form);
        const Vec3d best = solver.solve(-q.topRightCorner<3, 1>());
        const double length = (points_[a] - points_[b]).norm();
        if (solver.rcond() > 1e-4 && (best - positions[0]).norm() < 2 * length)
            positions.push_back(best);
        const Vec3d position =
            *std::min_element(positions.begin(), positions.end(),
                              [&](auto& x, auto& y) { return costAt(x) < costAt(y); });
        heap_.push({costAt(position), a, b, stamps_[a], stamps_[b], position});
    }
    bool isAllowed(const Entry& entry) const {
        const std::set<std::uint32_t> left = neighbours(entry.a), right = neighbours(entry.b);
        std::vector<std::uint32_t> common;
        std::set_intersection(left.begin(), left.end(), right.begin(), right.end(),
                              std::back_inserter(common));
        if (common.size() != facesAt(entry.a, entry.b)) return false;
        return facesForward(entry.a, entry.b, entry.position) &&
               facesForward(entry.b, entry.a, entry.position);
    }
    bool facesForward(std::uint32_t moving, std::uint32_t other, const Vec3d& position) const {
        for (const std::uint32_t f : faces_[moving]) {
            const Triangle& t = triangles_[f];
            if (std::count(t.begin(), t.end(), other) > 0) continue;
            const auto at = [&](std::size_t c) -> const Vec3d& {
                return t[c] == moving ? position : points_[t[c]];
            };
            if ((at(1) - at(0)).cross(at(2) - at(0)).dot(cross(t)) <= 0) return false;
        }
        return true;
    }
    void join(const Entry& entry) {
        const auto [cost, from, to, stampA, stampB, position] = entry;
        points_[to] = position;
        quadrics_[to] += quadrics_[from];
        for (const std::uint32_t f : faces_[from]) {
            Triangle& t = triangles_[f];
            if (std::count(t.begin(), t.end(), to) > 0) {
                gone_[f] = true;
                --alive_;
                for (const std::uint32_t v : t)
                    if (v != from) std::erase(faces_[v], f);
            } else {
                std::replace(t.begin(), t.end(), from, to);
                faces_[to].push_back(f);
            }
        }
        faces_[from].clear();
        ++stamps_[from];
        ++stamps_[to];
        for (const std::uint32_t w : neighbours(to)) push(w, to);
    }
    Mesh result() const {
        std::vector<Vec3f> points;
        for (const Vec3d& p : points_) points.push_back(p.cast<float>());
        std::vector<std::uint32_t> indices;
        for (std::size_t t = 0; t < triangles_.size(); ++t)
            if (!gone_[t])
                indices.insert(indices.end(), triangles_[t].begin(), triangles_[t].end());
        Mesh mesh;
        mesh.parts.push_back(dropUnusedVertices(makePart(std::move(points), std::move(indices))));
        return *finishMesh(std::move(mesh));
    }

    std::vector<Vec3d> points_;
    std::vector<Triangle> triangles_;
    std::vector<bool> gone_;
    std::vector<std::vector<std::uint32_t>> faces_;
    std::vector<std::uint32_t> stamps_;
    std::vector<Eigen::Matrix4d> quadrics_;
    std::priority_queue<Entry> heap_;
    std::size_t alive_ = 0;
};

}  // namespace

Mesh textbookCollapse(const Mesh& mesh, std::size_t triangles) {
    return Textbook(mesh).run(triangles);
}

}  // namespace flentro::test
