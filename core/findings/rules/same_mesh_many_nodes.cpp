#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kMinNodes = 32;

/// True if a node says no more than where its mesh stands.
bool isPlain(const FindingInput& in, const Object& object) {
    const Node& node = elementOf(in.scene.nodes, object.node);
    return object.instance < 0 && node.children.empty() && node.skin < 0 && node.camera < 0 &&
           node.light < 0 && !elementOf(in.index.isMoving, object.node);
}

std::vector<Finding> run(const FindingInput& in) {
    Finding finding;
    double nodes = 0;
    double bytes = 0;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        std::vector<const Node*> plain;
        for (const std::uint32_t i : in.index.objectsOf[a])
            if (isPlain(in, in.scene.objects[i]))
                plain.push_back(&elementOf(in.scene.nodes, in.scene.objects[i].node));
        if (plain.size() < kMinNodes) continue;
        finding.subjects.push_back(assetSubject(in.scene, a));
        nodes += static_cast<double>(plain.size());
        for (const Node* node : plain)
            bytes += static_cast<double>(node->name.size() + node->rest.dump().size());
    }
    if (finding.subjects.empty()) return {};
    finding.sentence = fmt::format("{} on {} nodes that hold nothing else",
                                   counted(finding.subjects.size(), "mesh stands", "meshes stand"),
                                   formatCount(nodes));
    finding.evidence = {{"nodes", nodes}, {"text of the nodes", bytes, Quantity::Unit::Memory}};
    return {std::move(finding)};
}

}  // namespace

const Rule& sameMeshManyNodesRule() {
    static const Rule rule = {
        .key = "same-mesh-many-nodes",
        .name = "One mesh on many nodes",
        .why = "Each node is stored, visited and placed by itself where a list of places would do.",
        .measured =
            "Nodes that hold nothing but the same mesh, have no children and are moved by no "
            "animation: told together, from 32 of a mesh on.",
        .advice = "Write them as copies of one node when exporting (EXT_mesh_gpu_instancing).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
