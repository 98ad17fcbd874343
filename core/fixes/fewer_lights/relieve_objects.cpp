#include "fixes/fewer_lights/relieve_objects.h"

#include <algorithm>

#include "base/index.h"
#include "measure/lights_on_objects.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr double kMinRange = 0.25;  ///< Metres.
constexpr double kBefore = 0.999;   ///< Of the distance to an object: where a range ends.
constexpr double kLeastKept = 0.5;  ///< Of a range: what lies nearer is not worth so much dark.

using LightsOfObjects = std::vector<std::vector<std::uint32_t>>;

std::size_t countOver(const LightsOfObjects& lights, std::size_t limit) {
    return static_cast<std::size_t>(std::count_if(
        lights.begin(), lights.end(), [limit](const auto& own) { return own.size() > limit; }));
}

/// A light and the range that leaves the objects alone which have too many.
struct Cut {
    std::uint32_t light = 0;
    double range = 0;
    double kept = 1;  ///< Share of the range before.
};

/// Lights by what they send to the nearest point of an object, the weakest last.
std::vector<std::uint32_t> strongestFirst(const Scene& scene, const Box& bounds,
                                          std::vector<std::uint32_t> lights) {
    const auto strength = [&](std::uint32_t l) {
        const PlacedLight& placed = scene.placedLights[l];
        const double away = std::max(bounds.exteriorDistance(placed.position), kMinRange);
        return static_cast<double>(elementOf(scene.lights, placed.light).intensity) / (away * away);
    };
    std::stable_sort(lights.begin(), lights.end(),
                     [&](std::uint32_t a, std::uint32_t b) { return strength(a) > strength(b); });
    return lights;
}

/// What would relieve every object, least loss of range first.
std::vector<Cut> cutsFor(const Scene& scene, const LightsOfObjects& lights, std::size_t limit) {
    const std::vector<bool> moving = movingNodes(scene);
    std::vector<double> ranges;
    for (const PlacedLight& placed : scene.placedLights) ranges.push_back(placed.range);
    for (std::size_t i = 0; i < lights.size(); ++i) {
        if (lights[i].size() <= limit) continue;
        const Box& bounds = scene.objects[i].bounds;
        const auto order = strongestFirst(scene, bounds, lights[i]);
        for (std::size_t k = limit; k < order.size(); ++k) {
            const PlacedLight& placed = scene.placedLights[order[k]];
            const double away = kBefore * bounds.exteriorDistance(placed.position);
            const bool isSun = elementOf(scene.lights, placed.light).type == LightType::Directional;
            const double least = std::max(kMinRange, kLeastKept * placed.range);
            if (isSun || elementOf(moving, placed.node) || away < least) continue;
            ranges[order[k]] = std::min(ranges[order[k]], away);
        }
    }
    std::vector<Cut> cuts;
    for (std::uint32_t l = 0; l < ranges.size(); ++l) {
        const double before = scene.placedLights[l].range;
        if (ranges[l] < before) cuts.push_back({l, ranges[l], ranges[l] / before});
    }
    std::stable_sort(cuts.begin(), cuts.end(),
                     [](const Cut& a, const Cut& b) { return a.kept > b.kept; });
    return cuts;
}

/// The scene with the first cuts made: each in a definition of the light's own.
Scene withCuts(const Scene& scene, const std::vector<Cut>& cuts, std::size_t count) {
    Scene cut = scene;
    for (std::size_t i = 0; i < count; ++i) {
        PlacedLight& placed = cut.placedLights[cuts[i].light];
        Light light = elementOf(cut.lights, placed.light);
        light.range = static_cast<float>(cuts[i].range);
        light.rest["range"] = light.range;
        placed.range = static_cast<double>(light.range);
        const bool isShared =
            std::count_if(cut.nodes.begin(), cut.nodes.end(),
                          [&](const Node& node) { return node.light == placed.light; }) > 1;
        if (isShared) {
            placed.light = static_cast<int>(cut.lights.size());
            elementOf(cut.nodes, placed.node).light = placed.light;
            cut.lights.push_back(std::move(light));
        } else {
            elementOf(cut.lights, placed.light) = std::move(light);
        }
    }
    return cut;
}

}  // namespace

ObjectRelief relieveObjects(Scene& scene, const LightMatrix* matrix, std::size_t limit,
                            double maxChange) {
    ObjectRelief relief;
    LightsOfObjects lights = lightsOnObjects(scene);
    relief.before = countOver(lights, limit);
    std::vector<Cut> cuts;
    if (matrix && relief.before > 0) cuts = cutsFor(scene, lights, limit);
    for (std::size_t count = cuts.size(); count > 0; count /= 2) {
        Scene cut = withCuts(scene, cuts, count);
        if (lightingChange(*matrix, scene, cut).worst > maxChange) continue;
        scene = std::move(cut);
        relief.shortened = count;
        lights = lightsOnObjects(scene);
        break;
    }
    relief.after = countOver(lights, limit);
    for (const auto& own : lights) relief.most = std::max(relief.most, own.size());
    return relief;
}

}  // namespace flentro
