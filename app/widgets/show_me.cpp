#include "widgets/show_me.h"

#include "measure/viewcost.h"

namespace flentro::app {

std::optional<std::size_t> nearestObject(const Scene& scene, const Vec3d& eye,
                                         const std::function<bool(std::size_t object)>& isWanted) {
    std::optional<std::size_t> nearest;
    double least = 0;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        if (!isWanted(i)) continue;
        const double distance = distanceTo(scene.objects[i].bounds, eye);
        if (nearest && distance >= least) continue;
        nearest = i;
        least = distance;
    }
    return nearest;
}

Viewpoint viewBefore(const Vec3d& point, double heading) {
    constexpr double kAway = 5;  // metres
    return {point - kAway * lookDirection(heading, 0), heading, 0};
}

}  // namespace flentro::app
