#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinPixels = 6;
constexpr double kWorth = 0.005;

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        double copies = 0;
        const Relief relief = in.views.relief([&](const CountedView& view) {
            Counts saved{};
            double small = 0;
            for (const std::uint32_t i : in.index.objectsOf[a]) {
                const Object& object = in.scene.objects[i];
                const double away = distanceTo(object.bounds, view.view.eye);
                const ShadowDraw shadow = view.shadowOf(i);
                if (shadow.passes == 0 || pixelsAcross(object, away, in.target) >= kMinPixels)
                    continue;
                small += 1;
                addShadowCost(in.scene, shadow, saved);
            }
            copies = std::max(copies, small);
            return saved;
        });
        if (!isWorth(in, relief, {Measure::Triangles, Measure::DrawCalls}, kWorth)) continue;
        Finding finding = assetFinding(
            in, a,
            fmt::format("{} smaller than {} pixels in one view, and shadow passes draw them",
                        counted(static_cast<std::size_t>(copies), "copy is", "copies are"),
                        kMinPixels),
            {{"copies in one view", copies},
             {"size", kMinPixels, Quantity::Unit::Pixels, kMinPixels}});
        finding.relief = relief;
        finding.fix = proposedFix(in, "shadows");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& smallCastsShadowRule() {
    static const Rule rule = {
        .key = "small-casts-shadow",
        .name = "Small things cast shadows",
        .why =
            "A shadow of a few pixels is not missed; its pass draws the thing once more for each "
            "light.",
        .measured =
            "Copies that shadow passes of a counted view draw although they are smaller than 6 "
            "pixels on the display: told from 0.5 % of the limit for triangles or draw calls on.",
        .advice = "Fix Shadows and lights.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
