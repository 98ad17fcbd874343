#include <fmt/format.h>
#include <map>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (const auto& [first, members] : groupsOfEqual(in.equalImages)) {
        if (!in.scene.images[members.front()].data) continue;
        Finding finding;
        std::vector<ImageSaving> savings;
        for (const std::size_t i : members) {
            finding.subjects.push_back(imageSubject(in.scene, i));
            if (i != members.front())
                savings.push_back({static_cast<std::uint32_t>(i), in.textures.of(i), 0});
        }
        const double bytes = static_cast<double>(savings.size()) * savings.front().bytes;
        finding.sentence = fmt::format("{} images are equal in every pixel: {} could go",
                                       members.size(), formatBytes(bytes));
        finding.evidence = {{"equal images", static_cast<double>(members.size())},
                            {"memory", bytes, Quantity::Unit::Memory}};
        finding.relief = imageRelief(in, savings);
        finding.fix = proposedFix(in, "share");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& duplicateTexturesRule() {
    static const Rule rule = {
        .key = "duplicate-textures",
        .name = "Equal images, many names",
        .why = "Each is stored and held in texture memory by itself.",
        .measured = "Images equal in every pixel.",
        .advice = "Fix Share.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
