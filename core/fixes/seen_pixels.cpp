#include "fixes/seen_pixels.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "scene/variants.h"

namespace flentro {
namespace {

/// Calls visit(asset, material) for all that an asset shows at any level and by any variant.
template <typename Visit>
void forEachMaterial(const Scene& scene, const Visit& visit) {
    const auto show = [&](std::size_t asset, int material) {
        if (material >= 0 && static_cast<std::size_t>(material) < scene.materials.size())
            visit(asset, static_cast<std::size_t>(material));
    };
    for (std::size_t a = 0; a < scene.assets.size(); ++a)
        for (std::size_t level = 0; level < scene.assets[a].levelCount(); ++level)
            for (const Part& part : scene.assets[a].level(level)->parts) {
                show(a, part.material);
                forEachVariantMapping(part.rest, [&](const Json& mapping) {
                    show(a, jsonOr(mapping, "material", -1));
                });
            }
}

}  // namespace

std::vector<double> seenEdges(const Scene& scene, const Evidence& evidence) {
    const bool isSeen =
        std::any_of(evidence.places.begin(), evidence.places.end(),
                    [](const Evidence::Place& place) { return !place.seen.empty(); });
    if (!isSeen)
        return std::vector<double>(scene.objects.size(), std::numeric_limits<double>::infinity());
    const std::size_t origins = scene.originNames ? scene.originNames->size() : 0;
    std::vector<float> most(origins, 0);
    for (const Evidence::Place& place : evidence.places)
        for (const Evidence::VisibilitySample& seen : place.seen)
            if (seen.origin < origins) most[seen.origin] = std::max(most[seen.origin], seen.pixels);
    std::vector<double> edges;
    for (const Object& object : scene.objects) {
        float pixels = 0;
        for (const std::uint32_t origin : object.origins)
            if (origin < origins) pixels = std::max(pixels, most[origin]);
        edges.push_back(std::sqrt(static_cast<double>(pixels)));
    }
    return edges;
}

std::vector<double> materialEdges(const Scene& scene, const Evidence& evidence) {
    const std::vector<double> ofObject = seenEdges(scene, evidence);
    std::vector<double> ofAsset(scene.assets.size(), 0);
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const auto asset = static_cast<std::size_t>(scene.objects[i].asset);
        if (scene.assets[asset].importance != Importance::Backdrop)
            ofAsset[asset] = std::max(ofAsset[asset], ofObject[i]);
    }
    std::vector<double> edges(scene.materials.size(), 0);
    forEachMaterial(scene, [&](std::size_t asset, std::size_t material) {
        edges[material] = std::max(edges[material], ofAsset[asset]);
    });
    return edges;
}

std::vector<bool> keptMaterials(const Scene& scene) {
    std::vector<bool> kept(scene.materials.size(), false);
    forEachMaterial(scene, [&](std::size_t asset, std::size_t material) {
        if (scene.assets[asset].importance == Importance::Keep) kept[material] = true;
    });
    return kept;
}

}  // namespace flentro
