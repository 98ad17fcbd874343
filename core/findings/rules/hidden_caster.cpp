#include <fmt/format.h>

#include "base/cancel_only.h"
#include "findings/rules/rule.h"
#include "fixes/shadows/shadows.h"

namespace flentro {
namespace {

constexpr double kWorth = 0.005;

/// Fix Shadows and lights with nothing but what falls on nothing.
ShadowSettings onlyHidden() {
    ShadowSettings settings;
    settings.shadowPixels = 0;
    settings.lightPixels = 0;
    return settings;
}

std::vector<Finding> run(const FindingInput& in) {
    if (at(in.views.counts(), Measure::ShadowLights) == 0) return {};
    CancelOnly quiet(in.progress);
    const auto done = applyShadows(in.scene, onlyHidden(), in.target, quiet);
    std::vector<Finding> findings;
    if (!done) return findings;
    const auto stopped = [&](std::uint32_t i) {
        const Object &before = in.scene.objects[i], &after = done->scene.objects[i];
        return before.castsShadow && (!after.castsShadow || after.culling.shadowEnd <= 0);
    };
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        std::vector<std::uint32_t> hidden;
        for (const std::uint32_t i : in.index.objectsOf[a])
            if (stopped(i)) hidden.push_back(i);
        if (hidden.empty()) continue;
        const Relief relief = in.views.relief([&](const CountedView& view) {
            Counts saved{};
            for (const std::uint32_t i : hidden) {
                at(saved, Measure::Triangles) +=
                    static_cast<double>(in.scene.mesh(in.scene.objects[i]).triangles) *
                    view.passes[i];
                at(saved, Measure::DrawCalls) += view.shadowCalls[i];
            }
            return saved;
        });
        if (!isWorth(in, relief, {Measure::Triangles, Measure::DrawCalls}, kWorth)) continue;
        Finding finding = assetFinding(
            in, a,
            fmt::format("{} of {} shadows that fall on nothing", hidden.size(),
                        counted(in.index.objectsOf[a].size(), "copy casts", "copies cast")),
            {{"copies", static_cast<double>(hidden.size())}});
        finding.relief = relief;
        finding.fix = proposedFix(in, "shadows");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& hiddenCasterRule() {
    static const Rule rule = {
        .key = "hidden-caster",
        .name = "Shadows that fall on nothing",
        .why = "A shadow pass draws it for each light, and nothing shows the shadow.",
        .measured =
            "Objects that fix Shadows and lights lets cast none because no shadow light reaches "
            "them or nothing behind them catches their shadow, by doing it: told by asset from 0.5 "
            "% of the limit for triangles or draw calls on.",
        .advice = "Fix Shadows and lights.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
