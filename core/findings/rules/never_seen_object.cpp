#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "survey/analysis.h"

namespace flentro {
namespace {

constexpr double kWorth = 0.01;  ///< Of a limit.

std::vector<Finding> run(const FindingInput& in) {
    std::vector<bool> unseen(in.scene.objects.size(), false);
    for (const std::uint32_t object : findUnseen(in.scene, *in.survey).objects)
        unseen[object] = true;
    std::vector<bool> isDrawn(in.scene.objects.size(), false);
    for (const CountedView& view : in.views.views())
        for (const DrawnObject& drawn : view.cost.drawn) isDrawn[drawn.object] = true;
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        Finding finding;
        for (const std::uint32_t object : in.index.objectsOf[a])
            if (unseen[object] && isDrawn[object])
                finding.subjects.push_back(objectSubject(in.scene, object));
        if (finding.subjects.empty()) continue;
        const std::size_t count = finding.subjects.size();
        finding.sentence = fmt::format(
            "{} of {} seen from none of {} spots", formatCount(static_cast<double>(count)),
            counted(in.index.objectsOf[a].size(), "copy", "copies"), in.survey->doneCount());
        finding.evidence = {{"copies", static_cast<double>(count)},
                            {"spots", static_cast<double>(in.survey->doneCount())}};
        finding.relief = reliefWithout(in, [&](const CountedView&, const DrawnObject& drawn) {
            return unseen[drawn.object] &&
                   static_cast<std::size_t>(in.scene.objects[drawn.object].asset) == a;
        });
        if (!isWorth(in, finding.relief, {Measure::Objects, Measure::DrawCalls, Measure::Triangles},
                     kWorth))
            continue;
        finding.where = whereDrawn(in, a);
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& neverSeenObjectRule() {
    static const Rule rule = {
        .key = "never-seen-object",
        .name = "Objects that no spot sees",
        .why = "They are drawn and cast shadows for nobody.",
        .measured =
            "Objects that no ray of any spot met, targeted rays included, though a counted view "
            "draws them: told by asset from 1 % of the limit for objects, draw calls or "
            "triangles on.",
        .advice = "Take them out, or look with a closer survey.",
        .needsSurvey = true,
        .needsCoverage = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
