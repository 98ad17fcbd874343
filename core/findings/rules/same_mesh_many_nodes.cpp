#include <fmt/format.h>

#include <set>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kMinNodes = 32;
constexpr double kWorth = 0.01;  ///< Of the limit for draw calls.

/// True if a node says no more than where its mesh stands.
bool isPlain(const FindingInput& in, const Object& object) {
    const Node& node = elementOf(in.scene.nodes, object.node);
    return object.instance < 0 && node.children.empty() && node.skin < 0 && node.camera < 0 &&
           node.light < 0 && !elementOf(in.index.isMoving, object.node);
}

/// [assets] Nodes that hold nothing but a copy of the asset.
std::vector<std::vector<const Node*>> plainNodes(const FindingInput& in) {
    std::vector<std::vector<const Node*>> nodes(in.scene.assets.size());
    for (const Object& object : in.scene.objects)
        if (isPlain(in, object))
            elementOf(nodes, object.asset).push_back(&elementOf(in.scene.nodes, object.node));
    return nodes;
}

/// Draw calls less, where the target batches the copies of one node, if plain nodes of one mesh
/// become one.
Counts savedBy(const FindingInput& in, const CountedView& view) {
    Counts saved{};
    if (in.target.batching != Batching::Node) return saved;
    std::set<std::pair<int, std::uint32_t>> drawn;
    for (const DrawnObject& one : view.drawn) {
        const Object& object = in.scene.objects[one.object];
        if (!isPlain(in, object) || drawn.emplace(object.asset, one.level).second) continue;
        at(saved, Measure::DrawCalls) +=
            static_cast<double>(in.scene.asset(object).level(one.level)->parts.size()) *
            in.target.passes();
    }
    return saved;
}

std::vector<Finding> run(const FindingInput& in) {
    Finding finding;
    finding.relief = in.views.relief([&](const CountedView& view) { return savedBy(in, view); });
    const std::size_t least =
        isWorth(in, finding.relief, {Measure::DrawCalls}, kWorth) ? 2 : kMinNodes;
    double nodes = 0;
    double bytes = 0;
    const auto plain = plainNodes(in);
    for (std::size_t a = 0; a < plain.size(); ++a) {
        if (plain[a].size() < least) continue;
        finding.subjects.push_back(assetSubject(in.scene, a));
        nodes += static_cast<double>(plain[a].size());
        for (const Node* node : plain[a])
            bytes += static_cast<double>(node->name.size() + node->rest.dump().size());
    }
    if (finding.subjects.empty()) return {};
    finding.sentence = fmt::format("{} on {} nodes that hold nothing else",
                                   counted(finding.subjects.size(), "mesh stands", "meshes stand"),
                                   formatCount(nodes));
    finding.evidence = {{"nodes", nodes}, {"text of the nodes", bytes, Quantity::Unit::Memory}};
    finding.fix = proposedFix(in, "instances");
    return {std::move(finding)};
}

}  // namespace

const Rule& sameMeshManyNodesRule() {
    static const Rule rule = {
        .key = "same-mesh-many-nodes",
        .name = "One mesh on many nodes",
        .why =
            "Each node is stored, visited, placed and, unless the program batches meshes by "
            "itself, drawn by itself where a list of places would do.",
        .measured =
            "Nodes that hold nothing but the same mesh, have no children and are moved by no "
            "animation: reported together, from 32 of a mesh on; from 2 on where their draw calls, "
            "which copies on one node share, are 1 % of the limit.",
        .advice = "Fix Instances.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
