#include "fixes/tidy/removal_preview.h"

#include <algorithm>
#include <unordered_set>

#include "base/index.h"
#include "base/parallel.h"
#include "io/gltf_materials.h"

namespace flentro {
namespace {

/// A triangle by the places of its corners, whichever comes first.
Hash triangleAt(const std::vector<Vec3f>& points, const Corners& corners) {
    const auto before = [&](std::size_t a, std::size_t b) {
        const Vec3f& p = points[corners[a]];
        const Vec3f& q = points[corners[b]];
        return std::lexicographical_compare(p.data(), p.data() + 3, q.data(), q.data() + 3);
    };
    std::size_t first = 0;
    for (std::size_t k = 1; k < 3; ++k)
        if (before(k, first)) first = k;
    Hasher hasher;
    for (std::size_t k = 0; k < 3; ++k) {
        const Vec3f p = points[corners[(first + k) % 3]] + Vec3f::Zero();  // no negative zero
        hasher.add(p.x()).add(p.y()).add(p.z());
    }
    return hasher.result();
}

std::unordered_multiset<Hash> trianglesOf(const Mesh& mesh) {
    std::unordered_multiset<Hash> triangles;
    for (const Part& part : mesh.parts) {
        if (!part.isTriangles()) continue;
        const std::vector<Vec3f> points = positionsOf(part);
        forEachTriangle(part, [&](const Corners& t) { triangles.insert(triangleAt(points, t)); });
    }
    return triangles;
}

/// The mesh with what goes in parts of their own; counts it.
MeshPtr marked(const MeshPtr& mesh, const Mesh& after, int material, std::size_t& count) {
    std::unordered_multiset<Hash> left = trianglesOf(after);
    Mesh result = *mesh;
    std::vector<Part> removed;
    for (Part& part : result.parts) {
        if (!part.isTriangles()) continue;
        const std::vector<Vec3f> points = positionsOf(part);
        Part gone = part;
        gone.material = material;
        gone.indices.clear();
        std::vector<std::uint32_t> stays;
        forEachTriangle(part, [&](const Corners& corners) {
            const auto found = left.find(triangleAt(points, corners));
            auto& to = found == left.end() ? gone.indices : stays;
            to.insert(to.end(), corners.begin(), corners.end());
            if (found != left.end()) left.erase(found);
        });
        part.indices = std::move(stays);
        count += gone.triangleCount();
        if (!gone.indices.empty()) removed.push_back(std::move(gone));
    }
    if (removed.empty()) return mesh;
    result.parts.insert(result.parts.end(), removed.begin(), removed.end());
    return finishMesh(std::move(result));
}

}  // namespace

Expected<RemovalPreview> previewRemoval(const Scene& before, const Scene& after, const Vec3f& color,
                                        Progress& progress) {
    RemovalPreview preview{before, 0, 0};
    const auto material = static_cast<int>(before.materials.size());
    preview.scene.materials.push_back(parseMaterial(
        {{"name", "goes"},
         {"doubleSided", true},
         {"emissiveFactor", {0.3F * color.x(), 0.3F * color.y(), 0.3F * color.z()}},
         {"pbrMetallicRoughness",
          {{"baseColorFactor", {color.x(), color.y(), color.z(), 1}}, {"metallicFactor", 0}}}}));
    const std::size_t assets = std::min(before.assets.size(), after.assets.size());
    std::vector<std::size_t> counts(before.assets.size(), 0);
    const bool finished = parallelFor(assets, "Marking what goes", progress, [&](std::size_t i) {
        Asset& asset = preview.scene.assets[i];
        asset.ladder.levels.clear();
        if (asset.mesh->hash != after.assets[i].mesh->hash)
            asset.mesh = marked(asset.mesh, *after.assets[i].mesh, material, counts[i]);
    });
    if (!finished) return stopped("Marking what goes");
    for (const std::size_t count : counts) preview.triangles += count;
    for (const Object& object : before.objects) preview.placed += elementOf(counts, object.asset);
    return preview;
}

}  // namespace flentro
