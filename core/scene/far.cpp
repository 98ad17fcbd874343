#include "scene/far.h"

#include "base/index.h"
#include "base/text.h"
#include "scene/edit.h"

namespace flentro {
namespace {

constexpr double kFarthestOwn = 1000 * kFarthest;  ///< Units of a mesh.

bool isWithin(const Box& box, double farthest) {
    return box.isEmpty() || (box.min().allFinite() && box.max().allFinite() &&
                             box.min().minCoeff() >= -farthest && box.max().maxCoeff() <= farthest);
}

void note(Scene& scene, const std::string& where, std::size_t count, const char* one,
          const char* more) {
    if (count == 0) return;
    scene.notes.push_back({where, counted(count, one, more) + " left out: " + kBeyondReach});
}

}  // namespace

bool isInReach(const Vec3d& place) {
    return place.allFinite() && place.cwiseAbs().maxCoeff() <= kFarthest;
}

void leaveOutFar(Scene& scene) {
    std::vector<bool> gone(scene.objects.size());
    std::size_t objects = 0;
    std::string first;
    for (std::size_t i = 0; i < gone.size(); ++i) {
        const Object& object = scene.objects[i];
        gone[i] = !isWithin(object.bounds, kFarthest) ||
                  !isWithin(scene.mesh(object).bounds, kFarthestOwn);
        if (gone[i] && objects++ == 0) first = object.name;
    }
    std::size_t lights = 0;
    std::size_t cameras = 0;
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        Node& node = scene.nodes[i];
        if (isInReach(worlds[i].topRightCorner<3, 1>())) continue;
        lights += node.light >= 0;
        cameras += node.camera >= 0;
        node.light = node.camera = -1;
    }
    if (objects + lights + cameras == 0) return;
    note(scene, objects == 1 ? "object '" + first + "'" : "objects", objects, "object is",
         "objects are");
    note(scene, "lights", lights, "light is", "lights are");
    note(scene, "cameras", cameras, "camera is", "cameras are");
    if (lights > 0)
        std::erase_if(scene.placedLights, [&](const PlacedLight& light) {
            return elementOf(scene.nodes, light.node).light < 0;
        });
    if (objects == 0) return;
    removeObjects(scene, gone);
    numberOrigins(scene);
}

}  // namespace flentro
