#include "picture/shown_levels.h"

#include <algorithm>
#include <map>

#include "measure/view_meter.h"

namespace flentro {

bool hasLevels(const Scene& scene) {
    return std::any_of(scene.assets.begin(), scene.assets.end(),
                       [](const Asset& asset) { return !asset.ladder.empty(); });
}

Scene shownFrom(const Scene& scene, const Target& target, const Viewpoint& view) {
    const EyeVisibility sightings = ViewMeter(scene, target).sight(view.eye, {&view, 1});
    Scene shown = scene;
    for (Asset& asset : shown.assets) asset.ladder = {};
    std::map<std::pair<int, std::size_t>, int> known;  // asset and level
    for (std::size_t i = 0; i < shown.objects.size(); ++i) {
        const Asset& asset = scene.asset(scene.objects[i]);
        const std::size_t last = asset.levelCount() - 1;
        const std::size_t level = sightings.isThere(i) ? sightings.levelOf(i) : last;
        if (level == 0) continue;
        int& own = shown.objects[i].asset;
        const auto [at, isNew] =
            known.try_emplace({own, level}, static_cast<int>(shown.assets.size()));
        own = at->second;
        if (!isNew) continue;
        Asset lower = asset;
        lower.mesh = asset.level(level);
        lower.ladder = {};
        lower.ranges.clear();
        shown.assets.push_back(std::move(lower));
    }
    return shown;
}

}  // namespace flentro
