#include "measure/viewcost.h"

#include "measure/view_meter.h"

namespace flentro {

double distanceTo(const Box& box, const Vec3d& eye) {
    return box.isEmpty() ? std::numeric_limits<double>::infinity() : box.exteriorDistance(eye);
}

std::size_t levelAt(const Ladder& ladder, double scale, double distance) {
    std::size_t level = 0;
    while (level < ladder.levels.size() && ladder.levels[level].switchDistance * scale <= distance)
        ++level;
    return level;
}

double textureBytes(const Image& image, const Target& target) {
    const double texels = static_cast<double>(image.width) * image.height;
    return texels * target.bytesPerTexel * (target.mipMaps ? 4.0 / 3 : 1);
}

std::vector<DrawnObject> selectDrawn(const Scene& scene, const Target& target,
                                     const Viewpoint& view) {
    std::vector<DrawnObject> drawn;
    const Frustum frustum(view, target.lens());
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        if (!frustum.meets(object.bounds)) continue;
        const double distance = distanceTo(object.bounds, view.eye);
        if (distance >= object.culling.end) continue;
        const Ladder& ladder = scene.assets[static_cast<std::size_t>(object.asset)].ladder;
        const std::size_t level = levelAt(ladder, object.scale, distance);
        drawn.push_back({static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(level),
                         static_cast<float>(distance)});
    }
    return drawn;
}

ViewCost viewCost(const Scene& scene, const Target& target, const Viewpoint& view) {
    return ViewMeter(scene, target).cost(view);
}

ViewCost wholeSceneCost(const Scene& scene, const Target& target) {
    return ViewMeter(scene, target).wholeScene();
}

}  // namespace flentro
