#include "fixes/fewer_materials/divide.h"

#include <fmt/format.h>

#include <algorithm>
#include <cassert>
#include <map>
#include <span>

#include "geometry/mesh_materials.h"
#include "scene/edit.h"

namespace flentro {
namespace {

bool canDivide(const Asset& asset) {
    return asset.ladder.empty() && asset.importance != Importance::Keep &&
           std::none_of(asset.mesh->parts.begin(), asset.mesh->parts.end(),
                        [](const Part& part) { return part.isDeformable(); });
}

/// The materials of a mesh, those whose parts have the largest extent first.
std::vector<int> bySize(const Mesh& mesh) {
    std::map<int, Eigen::AlignedBox3f> boxes;
    for (const Part& part : mesh.parts)
        for (const Vec3f& point : positionsOf(part)) boxes[part.material].extend(point);
    const auto sizeOf = [&](int material) {
        const Eigen::AlignedBox3f& box = boxes[material];
        return box.isEmpty() ? 0 : box.diagonal().norm();
    };
    std::vector<int> order = materialsOf(mesh);
    std::stable_sort(order.begin(), order.end(),
                     [&](int a, int b) { return sizeOf(a) > sizeOf(b); });
    return order;
}

/// What of a mesh shows these materials.
Mesh pieceOf(const Mesh& mesh, std::span<const int> materials) {
    Mesh piece;
    piece.name = mesh.name;
    piece.rest = mesh.rest;
    for (const Part& part : mesh.parts)
        if (std::find(materials.begin(), materials.end(), part.material) != materials.end())
            piece.parts.push_back(part);
    return piece;
}

}  // namespace

Division divideByMaterials(Scene& scene, const std::vector<std::size_t>& assets,
                           std::size_t limit) {
    assert(limit > 0);
    Division division;
    std::vector<std::vector<Replacement>> instead(scene.assets.size());
    for (const std::size_t a : assets) {
        const Asset whole = scene.assets[a];
        if (!canDivide(whole)) {
            division.refused.push_back(a);
            continue;
        }
        const std::vector<int> order = bySize(*whole.mesh);
        for (std::size_t first = 0; first < order.size(); first += limit) {
            const std::size_t count = std::min(limit, order.size() - first);
            Mesh piece = pieceOf(*whole.mesh, std::span(order).subspan(first, count));
            if (first > 0) piece.name += fmt::format(" {}", first / limit + 1);
            Asset asset = whole;
            asset.mesh = finishMesh(std::move(piece));
            asset.ranges.clear();
            instead[a].push_back({static_cast<int>(scene.assets.size()), Mat4d::Identity()});
            scene.assets.push_back(std::move(asset));
        }
        ++division.assets;
    }
    if (division.assets == 0) return division;
    instead.resize(scene.assets.size());
    const std::size_t before = scene.objects.size();
    replaceAssets(scene, instead);
    division.objects = scene.objects.size() - before;
    return division;
}

}  // namespace flentro
