#include "scene/zones.h"

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
    std::vector<int> waiting;
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].parent < 0) waiting.push_back(static_cast<int>(i));
    while (!waiting.empty()) {
        const auto at = static_cast<std::size_t>(waiting.back());
        waiting.pop_back();
        const Node& node = scene.nodes[at];
        zones[at] = markOf(node);
        if (zones[at].empty() && node.parent >= 0)
            zones[at] = zones[static_cast<std::size_t>(node.parent)];
        waiting.insert(waiting.end(), node.children.begin(), node.children.end());
    }
    return zones;
}

}  // namespace flentro
