#include "fixes/unshown_levels.h"

#include <algorithm>
#include <vector>

namespace flentro {

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

}  // namespace flentro
