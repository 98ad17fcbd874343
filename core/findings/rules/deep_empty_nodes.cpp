#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr int kMinDepth = 6;

bool isEmpty(const FindingInput& in, std::size_t i) {
    const Node& node = in.scene.nodes[i];
    return node.mesh < 0 && node.light < 0 && node.camera < 0 && node.skin < 0 &&
           !in.index.isMoving[i];
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<int> depth(in.scene.nodes.size(), 0);  // of the chain that ends in each
    std::vector<bool> isJoint(in.scene.nodes.size(), false);
    for (const Skin& skin : in.scene.skins)
        for (const int joint : skin.joints) elementOf(isJoint, joint) = true;
    int deepest = 0;
    std::size_t last = 0;
    double all = 0;
    visitDown(in.scene.nodes, [&](std::size_t i) {
        if (!isEmpty(in, i) || isJoint[i] || in.scene.nodes[i].children.size() > 1) return;
        const int parent = in.scene.nodes[i].parent;
        depth[i] = 1 + (parent < 0 ? 0 : elementOf(depth, parent));
        all += depth[i] >= kMinDepth;
        if (depth[i] <= deepest) return;
        deepest = depth[i];
        last = i;
    });
    if (deepest < kMinDepth) return {};
    Finding finding;
    finding.subjects = {{Subject::Kind::Scene, 0, in.scene.nodes[last].name}};
    finding.sentence =
        fmt::format("a chain of {} empty nodes ends in '{}'", deepest, in.scene.nodes[last].name);
    finding.evidence = {{"depth", static_cast<double>(deepest), Quantity::Unit::Count,
                         static_cast<double>(kMinDepth)}};
    return {std::move(finding)};
}

}  // namespace

const Rule& deepEmptyNodesRule() {
    static const Rule rule = {
        .key = "deep-empty-nodes",
        .name = "Chains of empty nodes",
        .why = "Each node is visited and multiplied every frame.",
        .measured =
            "Chains of six or more nodes that hold nothing, have one child each and are not moved "
            "by an animation.",
        .advice = "Leave them out when exporting (--drop-empty-nodes).",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
