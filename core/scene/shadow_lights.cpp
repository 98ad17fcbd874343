#include "scene/shadow_lights.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/index.h"
#include "scene/own_extras.h"

namespace flentro {

void setCastsShadow(Scene& scene, PlacedLight& light, bool casts) {
    light.castsShadow = casts;
    Json& rest = elementOf(scene.nodes, light.node).rest;
    if (casts || !hasForeignExtras(rest)) objectAt(rest, "extras")["castsShadow"] = casts;
}

void castShadows(Scene& scene, const ShadowLights& wanted) {
    std::set<std::string> unknown = wanted.all ? std::set<std::string>() : wanted.names;
    for (PlacedLight& placed : scene.placedLights) {
        setCastsShadow(scene, placed, wanted.all || wanted.names.contains(placed.name));
        unknown.erase(placed.name);
    }
    for (const std::string& name : unknown)
        scene.notes.push_back({fmt::format("light '{}'", name),
                               "is to cast shadows, but the scene has none of that name"});
}

double strengthAt(const Scene& scene, const PlacedLight& placed, const Vec3d& eye) {
    constexpr double kNear = 0.25;  // metres: nearer it is no stronger
    const Light& light = elementOf(scene.lights, placed.light);
    if (light.type == LightType::Directional) return std::numeric_limits<double>::infinity();
    const double away = (placed.position - eye).norm();
    const double reached = std::isnan(away) ? 1 : std::max(away, kNear);
    return static_cast<double>(light.intensity) / (reached * reached);
}

std::vector<bool> castingLights(const Scene& scene, const Vec3d& eye) {
    std::vector<bool> casts(scene.placedLights.size());
    std::vector<std::pair<double, std::size_t>> order;
    for (std::size_t i = 0; i < casts.size(); ++i) {
        const PlacedLight& placed = scene.placedLights[i];
        casts[i] = placed.castsShadowFor(eye);
        if (casts[i] && scene.shadowLightsAtOnce > 0)
            order.emplace_back(-strengthAt(scene, placed, eye), i);
    }
    const auto most = static_cast<std::size_t>(scene.shadowLightsAtOnce);
    if (order.size() <= most) return casts;
    std::sort(order.begin(), order.end());
    for (std::size_t k = most; k < order.size(); ++k) casts[order[k].second] = false;
    return casts;
}

void limitShadowLights(Scene& scene, int atOnce) {
    scene.shadowLightsAtOnce = atOnce;
    if (Json* ours = ownExtrasIn(scene.rest)) (*ours)["shadowLightsAtOnce"] = atOnce;
}

}  // namespace flentro
