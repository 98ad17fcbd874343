#include "scene/shadow_lights.h"

#include <fmt/format.h>

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

}  // namespace flentro
