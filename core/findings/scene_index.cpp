#include "findings/scene_index.h"

#include <algorithm>

#include "base/index.h"
#include "scene/edit.h"

namespace flentro {
namespace {

void addOnce(std::vector<std::uint32_t>& list, std::size_t value) {
    const auto number = static_cast<std::uint32_t>(value);
    if (std::find(list.begin(), list.end(), number) == list.end()) list.push_back(number);
}

}  // namespace

SceneIndex::SceneIndex(const Scene& scene)
    : objectsOf(scene.assets.size()),
      usesOf(scene.images.size()),
      assetsOf(scene.materials.size()),
      imagesOf(scene.materials.size()),
      isMoving(movingNodes(scene)) {
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        elementOf(objectsOf, scene.objects[i].asset).push_back(static_cast<std::uint32_t>(i));
    for (std::size_t m = 0; m < scene.materials.size(); ++m)
        for (std::size_t u = 0; u < scene.materials[m].textures.size(); ++u) {
            const int texture = scene.materials[m].textures[u].texture;
            const int image = scene.imageOf(texture);
            if (image < 0) continue;
            elementOf(usesOf, image)
                .push_back({static_cast<std::uint32_t>(m), static_cast<std::uint32_t>(u)});
            addOnce(imagesOf[m], static_cast<std::size_t>(image));
        }
    for (std::size_t a = 0; a < scene.assets.size(); ++a)
        for (std::size_t level = 0; level < scene.assets[a].levelCount(); ++level)
            for (const Part& part : scene.assets[a].level(level)->parts)
                if (part.material >= 0) addOnce(elementOf(assetsOf, part.material), a);
}

}  // namespace flentro
