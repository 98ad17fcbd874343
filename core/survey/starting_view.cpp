#include "survey/starting_view.h"

#include <algorithm>
#include <cmath>
#include <optional>

#include "measure/view_meter.h"
#include "measure/viewcost.h"
#include "survey/spots.h"

namespace flentro {
namespace {

std::vector<Viewpoint> camerasOf(const Scene& scene) {
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    std::vector<Viewpoint> views;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i) {
        if (scene.nodes[i].camera < 0 || !isFinite(worlds[i])) continue;
        const Vec3d forward = -worlds[i].col(2).head<3>().normalized();
        Viewpoint view;
        view.eye = worlds[i].topRightCorner<3, 1>();
        view.heading = toDegrees(std::atan2(forward.x(), -forward.z()));
        view.pitch = toDegrees(std::asin(std::clamp(forward.y(), -1.0, 1.0)));
        views.push_back(view);
    }
    return views;
}

/// On the ground below some of the objects, in the direction that takes in most; nothing where
/// there is no ground.
Expected<std::optional<Viewpoint>> viewFromGround(const Scene& scene, const Target& target,
                                                  Progress& progress) {
    constexpr std::size_t kPlaces = 24;
    constexpr int kHeadings = 8;
    constexpr double kEyeHeight = 1.7;  ///< Metres.
    constexpr double kFree = 2;         ///< Metres before the eye.
    const auto rays = RayScene::build(scene, progress);
    if (!rays) return tl::unexpected(rays.error());
    const ViewMeter meter(scene, target);
    const double top = scene.bounds().max().y() + 1;
    const std::size_t step = scene.objects.size() / kPlaces + 1;
    std::optional<Viewpoint> best;
    double most = 0;
    for (std::size_t i = 0; i < scene.objects.size(); i += step) {
        if (scene.objects[i].bounds.isEmpty()) continue;
        const Vec3d above(scene.objects[i].bounds.center().x(), top,
                          scene.objects[i].bounds.center().z());
        const RayHit ground = rays->first(above, -Vec3d::UnitY());
        if (!ground.met()) continue;
        const Vec3d eye = above - Vec3d(0, static_cast<double>(ground.distance) - kEyeHeight, 0);
        const auto views = allAround(eye, kHeadings, 0);
        const auto tallies = meter.count(meter.sight(eye, views));
        for (std::size_t v = 0; v < views.size(); ++v) {
            const double objects = at(tallies[v].counts, Measure::Objects);
            const Vec3d way = lookDirection(views[v].heading, 0);
            if (objects <= most || rays->first(eye, way, 0, kFree).met()) continue;
            most = objects;
            best = views[v];
        }
    }
    return best;
}

}  // namespace

Expected<Viewpoint> startingView(const Scene& scene, const Target& target, Progress& progress) {
    for (const Viewpoint& view : camerasOf(scene))
        if (!selectDrawn(scene, target, view).empty()) return view;
    const Box bounds = scene.bounds();
    Viewpoint view;
    if (bounds.isEmpty()) return view;
    // Far enough to frame a sphere around it.
    const double radius = std::max(bounds.diagonal().norm() / 2, 1e-3);
    const double distance = radius / std::sin(toRadians(std::min(target.verticalFov, 90.0)) / 2);
    if (distance + radius > target.farPlane) {
        const auto onGround = viewFromGround(scene, target, progress);
        if (!onGround) return tl::unexpected(onGround.error());
        if (*onGround) return **onGround;
    }
    view.pitch = -14;
    view.eye = bounds.center() - distance * lookDirection(view.heading, view.pitch);
    return view;
}

std::vector<Vec3d> standingCameras(const Scene& scene, const RayScene& rays, double eyeHeight) {
    constexpr double kTolerance = 0.6;  ///< Metres between a camera and a walker's eye.
    std::vector<Vec3d> eyes;
    for (const Viewpoint& view : camerasOf(scene)) {
        const RayHit ground = rays.first(view.eye, -Vec3d::UnitY(), 0, eyeHeight + kTolerance);
        if (ground.met() &&
            std::fabs(static_cast<double>(ground.distance) - eyeHeight) < kTolerance)
            eyes.push_back(view.eye);
    }
    return eyes;
}

Expected<std::vector<Vec3d>> walkStarts(const Scene& scene, const RayScene& rays,
                                        const Target& target, double eyeHeight,
                                        Progress& progress) {
    const auto first = startingView(scene, target, progress);
    if (!first) return tl::unexpected(first.error());
    std::vector<Vec3d> starts = {first->eye};
    const std::vector<Vec3d> standing = standingCameras(scene, rays, eyeHeight);
    starts.insert(starts.end(), standing.begin(), standing.end());
    return starts;
}

}  // namespace flentro
