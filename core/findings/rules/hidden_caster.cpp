#include <algorithm>
#include <span>

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

/// What the shadow passes of these objects cost.
Relief reliefOf(const FindingInput& in, std::span<const std::uint32_t> objects) {
    return in.views.relief([&](const CountedView& view) {
        Counts saved{};
        for (const std::uint32_t i : objects) addShadowCost(in.scene, view.shadowOf(i), saved);
        return saved;
    });
}

std::vector<Finding> run(const FindingInput& in) {
    if (at(in.views.counts(), Measure::ShadowLights) == 0) return {};
    CancelOnly quiet(in.progress);
    const auto done = applyShadows(in.scene, onlyHidden(), in.target, quiet);
    if (!done) return {};
    const auto stopped = [&](std::uint32_t i) {
        const Object &before = in.scene.objects[i], &after = done->scene.objects[i];
        return before.castsShadow && (!after.castsShadow || after.culling.shadowEnd <= 0);
    };
    std::vector<std::pair<double, std::size_t>> assets;  // Triangles in the worst view, negative.
    std::vector<std::uint32_t> hidden;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        const std::size_t before = hidden.size();
        for (const std::uint32_t i : in.index.objectsOf[a])
            if (stopped(i)) hidden.push_back(i);
        const std::span own(hidden.begin() + static_cast<std::ptrdiff_t>(before), hidden.end());
        const Relief relief = reliefOf(in, own);
        if (at(relief.worst, Measure::DrawCalls) > 0 || at(relief.here, Measure::DrawCalls) > 0)
            assets.emplace_back(-at(relief.worst, Measure::Triangles), a);
    }
    const Relief relief = reliefOf(in, hidden);
    if (assets.empty() || !isWorth(in, relief, {Measure::Triangles, Measure::DrawCalls}, kWorth))
        return {};
    std::sort(assets.begin(), assets.end());
    Finding finding =
        assetFinding(in, assets.front().second,
                     counted(hidden.size(), "object casts shadows", "objects cast shadows") +
                         " that fall on nothing",
                     {{"objects", static_cast<double>(hidden.size())}});
    for (std::size_t i = 1; i < assets.size(); ++i)
        finding.subjects.push_back(assetSubject(in.scene, assets[i].second));
    finding.relief = relief;
    finding.fix = proposedFix(in, "shadows");
    return {finding};
}

}  // namespace

const Rule& hiddenCasterRule() {
    static const Rule rule = {
        .key = "hidden-caster",
        .name = "Shadows that fall on nothing",
        .why = "A shadow pass draws it for each light, and nothing shows the shadow.",
        .measured =
            "Objects that fix Shadows and lights lets cast none because no shadow light reaches "
            "them or nothing behind them catches their shadow, by doing it: told once, "
            "from 0.5 % of the limit for triangles or draw calls on.",
        .advice = "Fix Shadows and lights.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
