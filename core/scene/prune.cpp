#include "scene/prune.h"

#include <algorithm>

#include "base/index.h"
#include "scene/edit.h"
#include "scene/references.h"
#include "scene/variants.h"

namespace flentro {
namespace {

/// Marks an index, if it is one.
void mark(std::vector<bool>& used, int index) {
    if (index >= 0 && static_cast<std::size_t>(index) < used.size()) elementOf(used, index) = true;
}

/// Erases unmarked elements; returns where the others are now, empty if all were marked.
template <typename T>
std::vector<int> keepMarked(std::vector<T>& list, const std::vector<bool>& used) {
    if (std::find(used.begin(), used.end(), false) == used.end()) return {};
    std::vector<int> moves(list.size(), -1);
    std::vector<T> kept;
    for (std::size_t i = 0; i < list.size(); ++i) {
        if (!used[i]) continue;
        moves[i] = static_cast<int>(kept.size());
        kept.push_back(std::move(list[i]));
    }
    list = std::move(kept);
    return moves;
}

std::size_t goneIn(const std::vector<int>& moves) {
    return static_cast<std::size_t>(std::count(moves.begin(), moves.end(), -1));
}

std::vector<bool> usedMaterials(const Scene& scene) {
    std::vector<bool> used(scene.materials.size());
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts) {
                mark(used, part.material);
                forEachVariantMapping(part.rest, [&](const Json& mapping) {
                    mark(used, jsonOr(mapping, "material", -1));
                });
            }
    return used;
}

/// True where an animation points into the list: what it names stays.
bool isPointedAt(const Scene& scene, const std::string& list) {
    for (const Animation& animation : scene.animations)
        if (animation.channels.dump(-1, ' ', false, Json::error_handler_t::replace)
                .find("\"/" + list + "/") != std::string::npos)
            return true;
    return false;
}

/// Nodes without duties, from the leaves upward.
std::vector<bool> emptyNodes(const Scene& scene) {
    std::vector<bool> busy = movingNodes(scene);
    for (const Skin& skin : scene.skins) {
        for (const int joint : skin.joints) mark(busy, joint);
        mark(busy, jsonOr(skin.rest, "skeleton", -1));
    }
    std::vector<std::size_t> order;
    visitDown(scene.nodes, [&](std::size_t index) { order.push_back(index); });
    for (auto at = order.rbegin(); at != order.rend(); ++at) {
        const Node& node = scene.nodes[*at];
        if (node.mesh >= 0 || node.camera >= 0 || node.light >= 0 || node.rest.contains("extras") ||
            node.rest.contains("extensions"))
            busy[*at] = true;
        if (busy[*at] && node.parent >= 0) mark(busy, node.parent);
    }
    busy.flip();
    return busy;
}

}  // namespace

Pruned pruneUnused(Scene& scene, const PruneOptions& options) {
    Pruned pruned;
    if (hasUnknownReferences(scene)) return pruned;
    IndexMoves moves;
    if (!isPointedAt(scene, "materials"))
        moves.materials = keepMarked(scene.materials, usedMaterials(scene));
    std::vector<bool> textures(scene.textures.size(), isPointedAt(scene, "textures"));
    for (const Material& material : scene.materials)
        forEachTexture(material.source, [&](const std::string&, const Json& use) {
            mark(textures, jsonOr(use, "index", -1));
        });
    moves.textures = keepMarked(scene.textures, textures);
    std::vector<bool> images(scene.images.size());
    std::vector<bool> samplers(scene.samplers.size());
    for (const Texture& texture : scene.textures) {
        mark(images, texture.image);
        mark(images, texture.formatImage);
        mark(samplers, texture.sampler);
    }
    moves.images = keepMarked(scene.images, images);
    moves.samplers = keepMarked(scene.samplers, samplers);
    std::vector<bool> skins(scene.skins.size());
    for (const Node& node : scene.nodes) mark(skins, node.skin);
    moves.skins = keepMarked(scene.skins, skins);
    moveReferences(scene, moves);
    pruned = {goneIn(moves.materials), goneIn(moves.textures), goneIn(moves.images),
              goneIn(moves.samplers),  goneIn(moves.skins),    0};
    if (!options.emptyNodes) return pruned;
    const std::vector<bool> empty = emptyNodes(scene);
    pruned.nodes = static_cast<std::size_t>(std::count(empty.begin(), empty.end(), true));
    if (pruned.nodes > 0) dropNodes(scene, empty);
    return pruned;
}

}  // namespace flentro
