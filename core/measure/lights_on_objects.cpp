#include "measure/lights_on_objects.h"

#include "base/parallel.h"

namespace flentro {

std::vector<std::vector<std::uint32_t>> lightsOnObjects(const Scene& scene) {
    std::vector<std::vector<std::uint32_t>> lights(scene.objects.size());
    parallelEach(lights.size(), [&](std::size_t i) {
        const Box& bounds = scene.objects[i].bounds;
        if (bounds.isEmpty()) return;
        for (std::uint32_t l = 0; l < scene.placedLights.size(); ++l) {
            const PlacedLight& light = scene.placedLights[l];
            if (bounds.exteriorDistance(light.position) < light.range) lights[i].push_back(l);
        }
    });
    return lights;
}

}  // namespace flentro
