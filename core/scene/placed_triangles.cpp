#include "scene/placed_triangles.h"

#include <algorithm>
#include <map>

namespace flentro {

std::vector<PlacedTriangle> samplePlacedTriangles(const Scene& scene, std::size_t most) {
    std::size_t all = 0;
    for (const Object& object : scene.objects) all += scene.mesh(object).triangles;
    const std::size_t step = all / most + 1;
    std::map<const Stream*, std::vector<Vec3f>> known;
    std::vector<PlacedTriangle> result;
    std::size_t next = 0;  // Triangles until the next of the sample.
    for (const Object& object : scene.objects)
        for (const Part& part : scene.mesh(object).parts) {
            const Stream* stream = part.find("POSITION");
            if (!stream || part.triangleCount() <= next) {
                next -= std::min(next, part.triangleCount());
                continue;
            }
            auto& points = known[stream];
            if (points.empty()) points = toVectors(*stream);
            std::size_t t = next;
            for (; t < part.triangleCount(); t += step) {
                PlacedTriangle placed;
                for (std::size_t c = 0; c < 3; ++c)
                    placed.corners[c] =
                        (object.world *
                         points[part.indices[3 * t + c]].cast<double>().homogeneous())
                            .head<3>();
                const auto& [a, b, c] = placed.corners;
                const Vec3d across = (b - a).cross(c - a);
                placed.area = across.norm() / 2;
                if (!(placed.area > 0)) continue;
                placed.normal = across.normalized();
                placed.middle = (a + b + c) / 3;
                result.push_back(placed);
            }
            next = t - part.triangleCount();
        }
    return result;
}

}  // namespace flentro
