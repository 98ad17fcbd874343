#include "fixes/merge/pieces.h"

#include <algorithm>
#include <map>
#include <numeric>
#include <set>

#include "base/index.h"
#include "fixes/merge/parcel_mesh.h"
#include "scene/edit.h"

namespace flentro {
namespace {

using Kinds = std::set<Hash>;

Kinds kindsOf(const Mesh& mesh) {
    Kinds kinds;
    for (const Part& part : mesh.parts) kinds.insert(partKind(part));
    return kinds;
}

/// The parts of these kinds; none of them: nothing.
MeshPtr partsOf(const MeshPtr& mesh, const Kinds& kinds) {
    Mesh some = *mesh;
    std::erase_if(some.parts, [&](const Part& part) { return !kinds.contains(partKind(part)); });
    if (some.parts.empty()) return nullptr;
    return some.parts.size() == mesh->parts.size() ? mesh : finishMesh(std::move(some));
}

/// The asset with parts of these kinds alone.
Asset partsOf(const Asset& asset, const Kinds& kinds) {
    Asset some = asset;
    some.mesh = partsOf(asset.mesh, kinds);
    MeshPtr finer = some.mesh;
    for (Ladder::Level& level : some.ladder.levels) {
        if (const MeshPtr mesh = partsOf(level.mesh, kinds)) finer = mesh;
        level.mesh = finer;
    }
    return some;
}

/// True if the asset is several pieces: what levels show has to be of level 0, and what was merged
/// before stays in one.
bool isDivided(const Asset& asset) {
    const Kinds kinds = kindsOf(*asset.mesh);
    return kinds.size() > 1 && asset.ranges.empty() &&
           std::all_of(asset.ladder.levels.begin(), asset.ladder.levels.end(),
                       [&](const Ladder::Level& level) {
                           const Kinds own = kindsOf(*level.mesh);
                           return std::includes(kinds.begin(), kinds.end(), own.begin(), own.end());
                       });
}

Box boundsOf(const Scene& scene, const Object& object) {
    return transformBox(object.world, scene.mesh(object).bounds);
}

}  // namespace

Group Pieces::wholes(const Group& pieces) const {
    std::set<std::uint32_t> objects;
    for (const std::uint32_t piece : pieces) objects.insert(objectOf[piece]);
    return {objects.begin(), objects.end()};
}

Pieces wholePieces(const Scene& scene) {
    Pieces pieces{scene, Group(scene.objects.size()), Group(scene.assets.size())};
    std::iota(pieces.objectOf.begin(), pieces.objectOf.end(), 0U);
    std::iota(pieces.assetOf.begin(), pieces.assetOf.end(), 0U);
    return pieces;
}

Pieces piecesByMaterial(const Scene& scene, const std::vector<MergeEligibility>& eligibility) {
    std::vector<bool> divides;
    for (const Asset& asset : scene.assets) divides.push_back(isDivided(asset));
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        if (eligibility[i] != MergeEligibility::Static)
            elementOf(divides, scene.objects[i].asset) = false;
    Pieces pieces = wholePieces(scene);
    std::vector<Group> assetsOf(scene.assets.size());  // pieces of each
    for (std::uint32_t a = 0; a < scene.assets.size(); ++a) {
        if (!divides[a]) {
            assetsOf[a] = {a};
            continue;
        }
        const Asset& asset = scene.assets[a];
        for (const Hash& kind : kindsOf(*asset.mesh)) {
            pieces.scene.assets.push_back(partsOf(asset, {kind}));
            pieces.assetOf.push_back(a);
            assetsOf[a].push_back(static_cast<std::uint32_t>(pieces.scene.assets.size() - 1));
        }
    }
    pieces.scene.objects.clear();
    pieces.objectOf.clear();
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i)
        for (const std::uint32_t asset : elementOf(assetsOf, scene.objects[i].asset)) {
            Object piece = scene.objects[i];
            piece.asset = static_cast<int>(asset);
            if (divides[pieces.assetOf[asset]]) piece.bounds = boundsOf(pieces.scene, piece);
            pieces.scene.objects.push_back(std::move(piece));
            pieces.objectOf.push_back(i);
        }
    return pieces;
}

Scene withoutPieces(const Scene& scene, const Pieces& pieces, const std::vector<bool>& gone) {
    std::vector<bool> goes(scene.objects.size(), false);
    std::vector<std::set<int>> left(scene.objects.size());  // assets of pieces
    for (std::size_t p = 0; p < gone.size(); ++p) {
        const std::uint32_t whole = pieces.objectOf[p];
        if (gone[p])
            goes[whole] = true;
        else
            left[whole].insert(pieces.scene.objects[p].asset);
    }
    Scene result = scene;
    std::map<std::pair<int, std::set<int>>, int> rests;  // asset, by what is left of which
    std::vector<Object> kept;
    for (std::size_t i = 0; i < goes.size(); ++i) {
        if (!goes[i] || left[i].empty()) continue;
        Object object = scene.objects[i];
        const auto [rest, isNew] =
            rests.try_emplace({object.asset, left[i]}, static_cast<int>(result.assets.size()));
        if (isNew) {
            Kinds kinds;
            for (const int asset : left[i])
                kinds.merge(kindsOf(*elementOf(pieces.scene.assets, asset).mesh));
            result.assets.push_back(partsOf(scene.asset(object), kinds));
        }
        object.asset = rest->second;
        kept.push_back(std::move(object));
    }
    removeObjects(result, goes);
    for (Object& object : kept) addObject(result, std::move(object));
    return result;
}

}  // namespace flentro
