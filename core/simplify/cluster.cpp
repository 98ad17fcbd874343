#include "simplify/cluster.h"

#include <algorithm>
#include <unordered_map>

namespace flentro {
namespace {

Part clusterPart(const Part& part, const Box& bounds, int cells) {
    const std::vector<Vec3f> positions = positionsOf(part);
    const Vec3d& low = bounds.min();
    const double scale = cells / std::max(bounds.sizes().maxCoeff(), 1e-12);
    std::unordered_map<std::uint64_t, std::uint32_t> first;
    std::vector<std::uint32_t> moved(positions.size());
    for (std::uint32_t i = 0; i < positions.size(); ++i) {
        const Vec3d cell = (positions[i].cast<double>() - low) * scale;
        std::uint64_t key = 0;
        for (int axis = 0; axis < 3; ++axis)
            key = key << 16 | static_cast<std::uint64_t>(std::clamp(cell[axis], 0.0, 65535.0));
        moved[i] = first.try_emplace(key, i).first->second;
    }
    Part result = part;
    result.indices.clear();
    forEachTriangle(part, [&](const Corners& corners) {
        const Corners t = {moved[corners[0]], moved[corners[1]], moved[corners[2]]};
        if (t[0] != t[1] && t[1] != t[2] && t[2] != t[0])
            result.indices.insert(result.indices.end(), t.begin(), t.end());
    });
    return dropUnusedVertices(result);
}

}  // namespace

Mesh clusterVertices(const Mesh& mesh, int cells) {
    Mesh result;
    result.name = mesh.name;
    for (const Part& part : mesh.parts)
        result.parts.push_back(part.isTriangles() ? clusterPart(part, mesh.bounds, cells) : part);
    return result;
}

}  // namespace flentro
