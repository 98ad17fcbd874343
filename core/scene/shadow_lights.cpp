#include "scene/shadow_lights.h"

#include <fmt/format.h>

namespace flentro {

void castShadows(Scene& scene, const ShadowLights& wanted) {
    std::set<std::string> unknown = wanted.all ? std::set<std::string>() : wanted.names;
    for (PlacedLight& placed : scene.placedLights) {
        placed.castsShadow = wanted.all || wanted.names.contains(placed.name);
        unknown.erase(placed.name);
        Json& rest = scene.nodes[static_cast<std::size_t>(placed.node)].rest;
        if (rest.is_null()) rest = Json::object();
        Json& extras = rest["extras"];
        if (!extras.is_object()) extras = Json::object();
        extras["castsShadow"] = placed.castsShadow;
    }
    for (const std::string& name : unknown)
        scene.notes.push_back({fmt::format("light '{}'", name),
                               "is to cast shadows, but the scene has none of that name"});
}

}  // namespace flentro
