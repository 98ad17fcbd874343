#include <fmt/format.h>
#include <algorithm>

#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr double kMinPixels = 4;
constexpr double kWorth = 0.005;

std::vector<Finding> run(const FindingInput& in) {
    const auto isSmall = [&](const DrawnObject& drawn) {
        return pixelsAcross(in.scene.objects[drawn.object], static_cast<double>(drawn.distance),
                            in.target) < kMinPixels;
    };
    std::vector<Finding> findings;
    for (std::size_t a = 0; a < in.scene.assets.size(); ++a) {
        double copies = 0;
        for (const CountedView& view : in.views.views()) {
            const auto drawn = view.drawnOf(a);
            copies = std::max(
                copies, static_cast<double>(std::count_if(drawn.begin(), drawn.end(), isSmall)));
        }
        if (copies == 0) continue;
        const Relief relief = reliefWithout(in, [&](const CountedView&, const DrawnObject& drawn) {
            return static_cast<std::size_t>(in.scene.objects[drawn.object].asset) == a &&
                   isSmall(drawn);
        });
        if (!isWorth(in, relief, {Measure::Objects, Measure::DrawCalls, Measure::Triangles},
                     kWorth))
            continue;
        Finding finding = assetFinding(
            in, a,
            fmt::format("{} drawn smaller than {} pixels in one view",
                        counted(static_cast<std::size_t>(copies), "copy is", "copies are"),
                        kMinPixels),
            {{"copies in one view", copies},
             {"size", kMinPixels, Quantity::Unit::Pixels, kMinPixels}});
        finding.relief = relief;
        finding.fix = proposedFix(in, "culling");
        findings.push_back(std::move(finding));
    }
    return findings;
}

}  // namespace

const Rule& smallAndFarRule() {
    static const Rule rule = {
        .key = "small-and-far",
        .name = "Drawn at only a few pixels",
        .why = "What is smaller than four pixels is not missed, but costs as much as from nearby.",
        .measured =
            "Copies that a counted view draws smaller than 4 pixels: told from 0.5 % of the limit "
            "for objects, draw calls or triangles on.",
        .advice = "Fix Culling distance.",
        .needsSurvey = false,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
