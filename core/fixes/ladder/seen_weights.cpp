#include "fixes/ladder/seen_weights.h"

#include <algorithm>
#include <cmath>

#include "geometry/weld.h"
#include "survey/analysis.h"

namespace flentro {
namespace {

constexpr std::uint32_t kUnseen = 5;  ///< Percent.
constexpr double kMin = 25;
constexpr double kMax = 400;
constexpr int kRounds = 2;  ///< Of evening out: rays meet few of the small triangles.

/// One mesh as it was seen.
struct SeenMesh {
    WeldedMesh welded;
    std::vector<double> pixels;  ///< [triangles]
    std::vector<double> areas;   ///< [triangles] Square metres at scale 1.
    std::vector<bool> unseen;    ///< [triangles]
};

/// Spreads pixels and areas over triangles that share corners, so that their ratio is that of a
/// neighbourhood.
void evenOut(SeenMesh& mesh) {
    const auto& corners = mesh.welded.corners;
    const auto spread = [&](std::vector<double>& values) {
        std::vector<double> sums(mesh.welded.points.size(), 0);
        for (std::size_t i = 0; i < corners.size(); ++i) sums[corners[i]] += values[i / 3];
        for (std::size_t t = 0; t < values.size(); ++t)
            values[t] = sums[corners[3 * t]] + sums[corners[3 * t + 1]] + sums[corners[3 * t + 2]];
    };
    for (int round = 0; round < kRounds; ++round) {
        spread(mesh.pixels);
        spread(mesh.areas);
    }
}

void measureAreas(SeenMesh& mesh) {
    const auto& [points, first, same, corners] = mesh.welded;
    for (std::size_t i = 0; i + 2 < corners.size(); i += 3) {
        const Vec3d u = (points[corners[i + 1]] - points[corners[i]]).cast<double>();
        const Vec3d v = (points[corners[i + 2]] - points[corners[i]]).cast<double>();
        mesh.areas.push_back(0.5 * u.cross(v).norm());
    }
}

std::vector<std::uint32_t> weightsOf(const SeenMesh& mesh, double mean) {
    std::vector<std::uint32_t> weights;
    for (std::size_t t = 0; t < mesh.areas.size(); ++t) {
        const double density = mesh.areas[t] > 0 ? mesh.pixels[t] / mesh.areas[t] : mean;
        const double weight = std::clamp(100 * std::sqrt(density / mean), kMin, kMax);
        const double step = std::exp2(std::round(std::log2(weight / 100)));
        weights.push_back(mesh.unseen[t] ? kUnseen
                                         : static_cast<std::uint32_t>(std::lround(100 * step)));
    }
    return weights;
}

std::vector<std::uint32_t> runsOf(const std::vector<std::uint32_t>& weights) {
    std::vector<std::uint32_t> runs;
    for (const std::uint32_t weight : weights) {
        if (runs.empty() || runs.back() != weight) runs.insert(runs.end(), {0, weight});
        ++runs[runs.size() - 2];
    }
    return runs;
}

}  // namespace

std::vector<MeshRuns> takeWeights(const Scene& scene, const Survey& survey) {
    const std::vector<bool> removable = removableTriangles(scene, survey);
    std::map<Hash, SeenMesh> meshes;
    std::map<Hash, std::string> names;
    std::size_t first = 0;
    for (const Asset& asset : scene.assets) {
        const std::size_t count = asset.mesh->triangles;
        SeenMesh& mesh = meshes[asset.mesh->hash];
        if (names.try_emplace(asset.mesh->hash, asset.mesh->name).second) {
            mesh.welded = weldPositions(*asset.mesh);
            mesh.pixels.assign(count, 0);
            mesh.unseen.assign(count, true);
            measureAreas(mesh);
        }
        for (std::size_t t = 0; t < count; ++t) {
            mesh.pixels[t] = std::max(mesh.pixels[t],
                                      static_cast<double>(survey.seen.trianglePixels[first + t]));
            mesh.unseen[t] = mesh.unseen[t] && removable[first + t];
        }
        first += count;
    }
    std::vector<MeshRuns> result;
    for (auto& [hash, mesh] : meshes) {
        double pixels = 0;
        double area = 0;
        for (std::size_t t = 0; t < mesh.areas.size(); ++t)
            if (mesh.pixels[t] > 0) {
                pixels += mesh.pixels[t];
                area += mesh.areas[t];
            }
        if (!(area > 0)) continue;
        evenOut(mesh);
        result.push_back({names[hash], hash, runsOf(weightsOf(mesh, pixels / area))});
    }
    return result;
}

}  // namespace flentro
