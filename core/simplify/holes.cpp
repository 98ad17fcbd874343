#include "simplify/holes.h"

#include <algorithm>
#include <cmath>
#include <map>

#include "geometry/weld.h"

namespace flentro {
namespace {

/// How much of its area a hole's outline must turn against the surface around it.
constexpr double kFacesBack = 0.5;

class HoleCloser {
public:
    explicit HoleCloser(const Mesh& mesh) : mesh_(mesh), welded_(weldPositions(mesh)) {
        findBorders();
    }

    ClosedHoles run(double size, std::size_t mostEdges) {
        ClosedHoles result;
        for (const std::vector<std::uint32_t>& outline : outlines(mostEdges)) {
            if (!isHole(outline, size)) continue;
            ++result.holes;
            Vec3d middle = Vec3d::Zero();
            for (const std::uint32_t p : outline)
                middle += at(p) / static_cast<double>(outline.size());
            for (const std::uint32_t p : outline) moved_[p] = middle.cast<float>();
        }
        result.mesh = moveAndDrop(result.triangles);
        return result;
    }

private:
    [[nodiscard]] Vec3d at(std::uint32_t position) const {
        return welded_.points[position].cast<double>();
    }

    void findBorders() {
        std::map<std::pair<std::uint32_t, std::uint32_t>, Vec3d> open;  // directed, with normals
        std::map<std::pair<std::uint32_t, std::uint32_t>, int> uses;
        for (std::size_t i = 0; i + 2 < welded_.corners.size(); i += 3) {
            const std::uint32_t* c = welded_.corners.data() + i;
            const Vec3d normal = (at(c[1]) - at(c[0])).cross(at(c[2]) - at(c[0])).normalized();
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t a = c[k];
                const std::uint32_t b = c[(k + 1) % 3];
                ++uses[{std::min(a, b), std::max(a, b)}];
                open[{a, b}] = normal;
            }
        }
        for (const auto& [edge, normal] : open) {
            if (edge.first == edge.second) continue;
            if (uses[{std::min(edge.first, edge.second), std::max(edge.first, edge.second)}] != 1)
                continue;
            next_[edge.first].push_back({edge.second, normal});
        }
    }

    /// Closed chains of border edges through positions that have just one.
    [[nodiscard]] std::vector<std::vector<std::uint32_t>> outlines(std::size_t mostEdges) const {
        std::vector<std::vector<std::uint32_t>> found;
        std::map<std::uint32_t, bool> done;
        for (const auto& [start, edges] : next_) {
            if (done[start] || edges.size() != 1) continue;
            std::vector<std::uint32_t> chain;
            std::uint32_t p = start;
            bool closed = false;
            while (!done[p]) {
                const auto edge = next_.find(p);
                if (edge == next_.end() || edge->second.size() != 1) break;
                done[p] = true;
                chain.push_back(p);
                p = edge->second.front().to;
                closed = p == start;
            }
            if (closed && chain.size() >= 3 && chain.size() <= mostEdges) found.push_back(chain);
        }
        return found;
    }

    /// Border edges run with their triangles: around a hole they turn against the surface.
    [[nodiscard]] bool isHole(const std::vector<std::uint32_t>& outline, double size) const {
        Box box;
        Vec3d area = Vec3d::Zero();
        Vec3d normal = Vec3d::Zero();
        for (std::size_t i = 0; i < outline.size(); ++i) {
            const Vec3d a = at(outline[i]) - at(outline[0]);
            const Vec3d b = at(outline[(i + 1) % outline.size()]) - at(outline[0]);
            area += a.cross(b) / 2;
            normal += next_.at(outline[i]).front().normal;
            box.extend(at(outline[i]));
        }
        return box.diagonal().norm() <= size &&
               area.dot(normal) < -kFacesBack * area.norm() * normal.norm();
    }

    [[nodiscard]] Mesh moveAndDrop(std::size_t& dropped) const {
        Mesh result = mesh_;
        if (moved_.empty()) return result;
        for (std::size_t p = 0; p < result.parts.size(); ++p) {
            Part& part = result.parts[p];
            Stream positions = *part.find("POSITION");
            bool any = false;
            for (std::size_t v = 0; v < part.vertexCount(); ++v) {
                const auto moved = moved_.find(welded_.same[welded_.firstPoints[p] + v]);
                if (moved == moved_.end()) continue;
                any = true;
                for (int c = 0; c < 3; ++c) positions.set(v, c, moved->second[c]);
            }
            if (!any) continue;
            part.set("POSITION", std::move(positions));
            dropped += dropVanished(part);
        }
        return result;
    }

    static std::size_t dropVanished(Part& part) {
        if (!part.isTriangles()) return 0;
        const std::vector<Vec3f> points = positionsOf(part);
        std::vector<std::uint32_t> kept;
        forEachTriangle(part, [&](const Corners& t) {
            const Vec3f& a = points[t[0]];
            const Vec3f& b = points[t[1]];
            const Vec3f& c = points[t[2]];
            if (a == b || b == c || c == a) return;
            kept.insert(kept.end(), t.begin(), t.end());
        });
        const std::size_t dropped = (part.indices.size() - kept.size()) / 3;
        part.indices = std::move(kept);
        return dropped;
    }

    struct Edge {
        std::uint32_t to;
        Vec3d normal;
    };
    const Mesh& mesh_;
    WeldedMesh welded_;
    std::map<std::uint32_t, std::vector<Edge>> next_;  ///< Border edges by where they start.
    std::map<std::uint32_t, Vec3f> moved_;
};

}  // namespace

ClosedHoles closeHoles(const Mesh& mesh, double size, std::size_t mostEdges) {
    return HoleCloser(mesh).run(size, mostEdges);
}

}  // namespace flentro
