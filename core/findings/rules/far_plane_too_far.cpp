#include <fmt/format.h>

#include "findings/rules/rule.h"
#include "fixes/culling/culling.h"
#include "survey/analysis.h"

namespace flentro {
namespace {

constexpr double kMaxShare = 0.6;

std::vector<Finding> run(const FindingInput& in) {
    // Spots around a thing lie as far from it as somebody has chosen.
    if (in.survey->coverage && in.survey->coverage->isAround) return {};
    double enough = 0;
    for (const FarPlaneLoss& loss : farPlaneLosses(*in.survey))
        if (enough == 0 && loss.worstShare == 0) enough = loss.distance;
    if (enough <= 0 || enough >= kMaxShare * in.target.farPlane) return {};
    Finding finding;
    finding.subjects = {{Subject::Kind::Scene, 0, in.scene.name}};
    finding.sentence = fmt::format("nothing is seen beyond {}; the far plane is at {}",
                                   formatMetres(enough), formatMetres(in.target.farPlane));
    finding.evidence = {
        {"farthest seen", enough, Quantity::Unit::Metres, kMaxShare * in.target.farPlane},
        {"far plane", in.target.farPlane, Quantity::Unit::Metres}};
    finding.relief = reliefWithout(in, [enough](const CountedView&, const DrawnObject& drawn) {
        return static_cast<double>(drawn.distance) >= enough;
    });
    FixSettings fix = proposedFix(in, "culling");
    fix.as<CullingSettings>()->farPlane = enough;
    finding.fix = fix;
    return {std::move(finding)};
}

}  // namespace

const Rule& farPlaneTooFarRule() {
    static const Rule rule = {
        .key = "far-plane-too-far",
        .name = "The far plane is too far",
        .why = "All up to it is drawn, and the depth of what is near is stored more coarsely.",
        .measured =
            "The nearest far plane that loses nothing that any spot saw: told below 60 % of the "
            "target's.",
        .advice = "Fix Culling distance with a nearer far plane.",
        .needsSurvey = true,
        .needsCoverage = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
