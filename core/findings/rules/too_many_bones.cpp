#include <fmt/format.h>

#include "base/index.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMaxBones = 128;

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    std::set<std::size_t> told;
    for (const Object& object : in.scene.objects) {
        const auto asset = static_cast<std::size_t>(object.asset);
        const int skin = elementOf(in.scene.nodes, object.node).skin;
        if (skin < 0 || !told.insert(asset).second) continue;
        const auto bones = static_cast<double>(elementOf(in.scene.skins, skin).joints.size());
        bool isWide = false;
        for (const Part& part : in.scene.assets[asset].mesh->parts)
            isWide = isWide || part.find("JOINTS_1");
        if (bones <= kMaxBones && !isWide) continue;
        findings.push_back(assetFinding(in, asset,
                                        fmt::format("{} bones{}", formatCount(bones),
                                                    isWide ? ", more than four for a vertex" : ""),
                                        {{"bones", bones, Quantity::Unit::Count, kMaxBones}}));
    }
    return findings;
}

}  // namespace

const Rule& tooManyBonesRule() {
    static const Rule rule = {
        .key = "too-many-bones",
        .name = "Too many bones",
        .why =
            "Each bone is worked out every frame for every copy; many devices take 128 at the "
            "most, and four for each vertex.",
        .measured = "Joints of a skin above 128, or vertices with more than four weights.",
        .advice = "Fewer bones, or four weights a vertex, in the modelling program.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
