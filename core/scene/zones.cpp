#include "scene/zones.h"

#include "base/index.h"

namespace flentro {
namespace {

std::string markOf(const Node& node) {
    const Json& extras = jsonObject(node.rest, "extras");
    if (!extras.contains("zone")) return {};
    const Json& zone = extras["zone"];
    if (zone.is_string()) return zone.get<std::string>();
    return zone.is_number() ? zone.dump() : std::string();
}

}  // namespace

std::vector<std::string> zonesOf(const Scene& scene) {
    std::vector<std::string> zones(scene.nodes.size());
    visitDown(scene.nodes, [&](std::size_t index) {
        const Node& node = scene.nodes[index];
        zones[index] = markOf(node);
        if (zones[index].empty() && node.parent >= 0) zones[index] = elementOf(zones, node.parent);
    });
    return zones;
}

}  // namespace flentro
