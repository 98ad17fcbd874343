#include "fixes/plain_materials/material_look.h"

#include <algorithm>
#include <cassert>
#include <cmath>

#include "picture/scene_painter.h"

namespace flentro {
namespace {

constexpr double kPitch = -25;  ///< Degrees: looked at from above one side.
constexpr double kHeading = 35;
constexpr double kAway = 4;  ///< Times the radius of the bounds: from where the camera looks.
constexpr int kSmallest = 24, kLargest = 256;  ///< Pixels along the edge of the picture.

/// The object alone, with the lights that reach it.
Scene aloneIn(const Scene& scene, std::size_t object) {
    Scene alone = scene;
    alone.objects = {scene.objects[object]};
    alone.objects[0].culling = {};
    alone.objects[0].standIn = -1;
    alone.objects[0].asset = 0;
    alone.assets = {scene.asset(scene.objects[object])};
    std::erase_if(alone.placedLights, [&](const PlacedLight& light) {
        return scene.objects[object].bounds.exteriorDistance(light.position) >= light.range;
    });
    for (PlacedLight& light : alone.placedLights) light.castsShadow = false;
    return alone;
}

/// A camera that takes in the bounds at so many pixels.
Target cameraFor(const Target& target, int edge) {
    Target camera = target;
    camera.width = camera.height = edge;
    camera.eyes = 1;
    camera.verticalFov = 2 * toDegrees(std::asin(1 / kAway));
    return camera;
}

/// Mean of the error over what is not black in either picture: there is nothing else.
double meanOver(const PictureError& error, const DisplayPicture& a, const DisplayPicture& b) {
    double sum = 0;
    double count = 0;
    for (std::size_t i = 0; i < error.map.size(); ++i) {
        if (a.pixels[i].isZero() && b.pixels[i].isZero()) continue;
        sum += static_cast<double>(error.map[i]);
        ++count;
    }
    return count > 0 ? sum / count : 0;
}

}  // namespace

MaterialLook materialLook(const Scene& scene, std::size_t object, std::size_t material,
                          const Material& plainer, double edge, const Target& target) {
    assert(object < scene.objects.size() && material < scene.materials.size());
    const Scene before = aloneIn(scene, object);
    Scene after = before;
    after.materials[material] = plainer;
    const Box& bounds = before.objects[0].bounds;
    const double radius = bounds.diagonal().norm() / 2;
    if (!(radius > 0)) return {};
    Target camera =
        cameraFor(target, std::clamp(static_cast<int>(std::ceil(edge)), kSmallest, kLargest));
    camera.nearPlane = radius / 10;
    camera.farPlane = 2 * kAway * radius;
    const Viewpoint view{bounds.center() - kAway * radius * lookDirection(kHeading, kPitch),
                         kHeading, kPitch};
    const RayScene rays(before);
    const int textures = 2 * camera.height;
    const LightPicture was = ScenePainter(before, rays, textures).paint(view, camera, 1);
    const LightPicture is = ScenePainter(after, rays, textures).paint(view, camera, 1);
    MaterialLook look{toDisplay(was, was.adaptation()), toDisplay(is, was.adaptation())};
    const double perDegree = pixelsPerMetreAtOne(target) * kPi / 180;
    look.change =
        meanOver(pictureError(look.before, look.after, perDegree), look.before, look.after);
    return look;
}

}  // namespace flentro
