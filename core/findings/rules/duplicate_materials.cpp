#include <fmt/format.h>
#include <map>

#include "findings/rules/rule.h"
#include "fixes/share/share.h"

namespace flentro {
namespace {

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (const auto& [first, members] :
         groupsOfEqual(firstEqualMaterials(in.scene, in.equalImages))) {
        Finding finding;
        for (const std::size_t m : members)
            if (in.index.isShown(static_cast<std::uint32_t>(m)))
                finding.subjects.push_back(materialSubject(in.scene, m));
        if (finding.subjects.size() < 2) continue;
        finding.sentence =
            fmt::format("{} materials are equal but for their names", finding.subjects.size());
        finding.evidence = {{"equal materials", static_cast<double>(finding.subjects.size())}};
        finding.fix = proposedFix(in, "share");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& duplicateMaterialsRule() {
    static const Rule rule = {
        .key = "duplicate-materials",
        .name = "Equal materials, many names",
        .why =
            "Each change of material is a change of state, and parts that could be one draw call "
            "stay apart.",
        .measured = "Materials equal in all but their names, with equal images counting as one.",
        .advice = "Fix Share.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
