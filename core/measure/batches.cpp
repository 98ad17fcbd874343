#include "measure/batches.h"

#include <map>

#include "base/index.h"

namespace flentro {

std::vector<std::uint32_t> batchesOf(const Scene& scene, Batching batching) {
    std::vector<std::uint32_t> batches;
    batches.reserve(scene.objects.size());
    const auto firstAlone = static_cast<std::uint32_t>(scene.assets.size() + scene.nodes.size());
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        const Node& node = elementOf(scene.nodes, object.node);
        const bool isBent = node.skin >= 0;
        if (batching == Batching::Mesh && !isBent)
            batches.push_back(static_cast<std::uint32_t>(object.asset));
        else if (batching == Batching::Node && !isBent && !node.instances.empty())
            batches.push_back(static_cast<std::uint32_t>(scene.assets.size()) +
                              static_cast<std::uint32_t>(object.node));
        else
            batches.push_back(firstAlone + i);
    }
    return batches;
}

std::vector<double> sharedCalls(const Scene& scene, std::span<const DrawnObject> drawn,
                                std::span<const std::uint32_t> batches) {
    std::map<std::pair<std::uint32_t, std::uint32_t>, double> together;
    for (const DrawnObject& one : drawn) together[{batches[one.object], one.level}] += 1;
    std::vector<double> calls;
    calls.reserve(drawn.size());
    for (const DrawnObject& one : drawn) {
        const Mesh& mesh = *scene.asset(scene.objects[one.object]).level(one.level);
        calls.push_back(static_cast<double>(mesh.parts.size()) /
                        together[{batches[one.object], one.level}]);
    }
    return calls;
}

}  // namespace flentro
