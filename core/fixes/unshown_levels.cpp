#include "fixes/unshown_levels.h"

#include <algorithm>
#include <atomic>
#include <limits>
#include <optional>
#include <vector>

#include "base/index.h"
#include "base/parallel.h"
#include "measure/viewcost.h"

namespace flentro {
namespace {

using Copies = std::vector<const Object*>;

/// [assets] Objects with a surface.
std::vector<Copies> copiesOf(const Scene& scene) {
    std::vector<Copies> copies(scene.assets.size());
    for (const Object& object : scene.objects)
        if (!object.bounds.isEmpty()) elementOf(copies, object.asset).push_back(&object);
    return copies;
}

/// Metres from an eye to what is drawn there; nothing if it is not.
std::optional<double> drawnFrom(const Scene& scene, const Target& target, const Object& object,
                                const Vec3d& eye) {
    const double distance = distanceTo(object.bounds, eye);
    if (distance >= target.farPlane || !isThere(scene, object, eye)) return std::nullopt;
    return distance;
}

/// [levels] Share of the places that draw an asset at all from which a copy is drawn at each.
std::vector<double> sharesOf(const Scene& scene, const Target& target, const Evidence& evidence,
                             const Asset& asset, const Copies& copies) {
    std::vector<double> shares(asset.levelCount(), 0);
    double places = 0;
    for (const Evidence::Place& place : evidence.places) {
        std::vector<bool> isDrawn(shares.size(), false);
        for (const Object* object : copies)
            if (const auto distance = drawnFrom(scene, target, *object, place.eye))
                isDrawn[levelAt(asset.ladder, object->scale, *distance)] = true;
        places += std::find(isDrawn.begin(), isDrawn.end(), true) != isDrawn.end();
        for (std::size_t level = 0; level < shares.size(); ++level) shares[level] += isDrawn[level];
    }
    for (double& one : shares) one /= std::max(places, 1.0);
    return shares;
}

}  // namespace

std::size_t dropUnshownLevels(Scene& scene, const Target& target) {
    // [assets] Metres at scale 1 from which no copy is there any more.
    std::vector<double> reach(scene.assets.size(), 0);
    std::vector<bool> placed(scene.assets.size());
    for (const Object& object : scene.objects) {
        const auto asset = static_cast<std::size_t>(object.asset);
        const double end = std::min(object.culling.end, target.farPlane);
        reach[asset] = std::max(reach[asset], end / std::max(object.scale, 1e-9));
        placed[asset] = true;
    }
    std::size_t dropped = 0;
    for (std::size_t i = 0; i < scene.assets.size(); ++i) {
        auto& levels = scene.assets[i].ladder.levels;
        if (placed[i])
            dropped += std::erase_if(levels, [&](const Ladder::Level& level) {
                return level.switchDistance >= reach[i];
            });
    }
    return dropped;
}

std::size_t dropRareLevels(Scene& scene, const Target& target, const Evidence& evidence,
                           double share, const std::vector<std::size_t>& kept) {
    if (evidence.empty()) return 0;
    const std::vector<Copies> copies = copiesOf(scene);
    std::atomic<std::size_t> dropped = 0;
    parallelEach(scene.assets.size(), [&](std::size_t a) {
        Asset& asset = scene.assets[a];
        while (!copies[a].empty() && asset.ladder.levels.size() > kept[a]) {
            const std::vector<double> shares = sharesOf(scene, target, evidence, asset, copies[a]);
            const auto rarest = std::min_element(
                shares.begin() + 1, shares.end() - static_cast<std::ptrdiff_t>(kept[a]));
            if (*rarest >= share) break;
            asset.ladder.levels.erase(asset.ladder.levels.begin() + (rarest - shares.begin()) - 1);
            ++dropped;
        }
    });
    return dropped;
}

std::vector<double> nearestDrawn(const Scene& scene, const Target& target,
                                 const Evidence& evidence) {
    std::vector<double> nearest(scene.assets.size(), std::numeric_limits<double>::infinity());
    const std::vector<Copies> copies = copiesOf(scene);
    parallelEach(copies.size(), [&](std::size_t a) {
        for (const Object* object : copies[a])
            for (const Evidence::Place& place : evidence.places)
                if (const auto distance = drawnFrom(scene, target, *object, place.eye))
                    nearest[a] = std::min(nearest[a], *distance / std::max(object->scale, 1e-9));
    });
    return nearest;
}

}  // namespace flentro
