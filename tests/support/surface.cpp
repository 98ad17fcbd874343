#include "support/surface.h"

#include <fmt/format.h>

#include <Eigen/LU>
#include <algorithm>
#include <array>

#include "base/index.h"

namespace flentro::test {
namespace {

struct PlacedTriangle {
    std::array<Vec3d, 3> corners;
    std::string material;
    bool taken = false;

    [[nodiscard]] double x() const { return corners[0].x() + corners[1].x() + corners[2].x(); }
};

std::vector<PlacedTriangle> placedTriangles(const Scene& scene) {
    std::vector<PlacedTriangle> all;
    for (const Object& object : scene.objects) {
        const bool mirrored = object.world.topLeftCorner<3, 3>().determinant() < 0;
        for (const Part& part : scene.mesh(object).parts) {
            std::string material = "none";
            if (part.material >= 0) {
                Json json = elementOf(scene.materials, part.material).source;
                json.erase("name");
                material = json.dump();
            }
            const std::vector<Vec3f> points = positionsOf(part);
            for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
                PlacedTriangle triangle;
                triangle.material = material;
                for (std::size_t k = 0; k < 3; ++k)
                    triangle.corners[mirrored ? 2 - k : k] =
                        transformPoint(object.world, points[part.indices[i + k]].cast<double>());
                all.push_back(triangle);
            }
        }
    }
    std::sort(all.begin(), all.end(),
              [](const PlacedTriangle& p, const PlacedTriangle& q) { return p.x() < q.x(); });
    return all;
}

bool isSame(const PlacedTriangle& a, const PlacedTriangle& b, double tolerance) {
    if (a.material != b.material) return false;
    for (std::size_t turn = 0; turn < 3; ++turn) {
        bool same = true;
        for (std::size_t k = 0; k < 3; ++k)
            same = same && (a.corners[k] - b.corners[(k + turn) % 3]).norm() <= tolerance;
        if (same) return true;
    }
    return false;
}

}  // namespace

std::string differenceOfSurfaces(const Scene& a, const Scene& b, double tolerance) {
    const std::vector<PlacedTriangle> first = placedTriangles(a);
    std::vector<PlacedTriangle> second = placedTriangles(b);
    if (first.size() != second.size())
        return fmt::format("{} and {} triangles", first.size(), second.size());
    for (const PlacedTriangle& triangle : first) {
        auto at = std::lower_bound(second.begin(), second.end(), triangle.x() - 3 * tolerance,
                                   [](const PlacedTriangle& t, double x) { return t.x() < x; });
        while (at != second.end() && at->x() <= triangle.x() + 3 * tolerance &&
               (at->taken || !isSame(triangle, *at, tolerance)))
            ++at;
        if (at == second.end() || at->x() > triangle.x() + 3 * tolerance)
            return fmt::format("no triangle at {:.4f} {:.4f} {:.4f} ...", triangle.corners[0].x(),
                               triangle.corners[0].y(), triangle.corners[0].z());
        at->taken = true;
    }
    return {};
}

}  // namespace flentro::test
