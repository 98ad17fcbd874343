#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <string_view>

#include "base/index.h"
#include "findings/rules/rule.h"
#include "survey/frame_times.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxNamed = 4;
constexpr double kMinShare = 0.05;  ///< Of the slower side: less is not named.

/// Time of one term in a frame.
struct Share {
    CostTerm term;
    double milliseconds;
};

/// The terms of the slower side, the heaviest first.
std::vector<Share> sharesOf(const SlowestView& slowest, const Target& target) {
    const bool onCpu = slowest.cost.cpu > slowest.cost.gpu;
    std::vector<Share> shares;
    for (std::size_t i = onCpu ? 0 : kCpuTerms; i < (onCpu ? kCpuTerms : kCostTermCount); ++i)
        shares.push_back({static_cast<CostTerm>(i), slowest.terms[i] * target.frameCost[i]});
    std::stable_sort(shares.begin(), shares.end(), [](const Share& a, const Share& b) {
        return a.milliseconds > b.milliseconds;
    });
    return shares;
}

/// The measure that a term grows with, if its fixes shorten the frame.
std::optional<Measure> measureOf(CostTerm term) {
    switch (term) {
        case CostTerm::DrawCall:
            return Measure::DrawCalls;
        case CostTerm::Object:
            return Measure::Objects;
        case CostTerm::Vertex:
            return Measure::Triangles;
        case CostTerm::LitPixel:
            return Measure::Lights;
        case CostTerm::ShadowPass:
            return Measure::ShadowLights;
        case CostTerm::Texture:
            return Measure::TextureBytes;
        default:
            return std::nullopt;
    }
}

std::vector<Finding> run(const FindingInput& in) {
    if (!in.counted) return {};
    const auto slowest = slowestView(*in.counted);
    if (!slowest || slowest->load <= 1) return {};
    const SpotResult& spot = in.counted->spots[slowest->spot];
    const std::vector<Share> shares = sharesOf(*slowest, in.target);
    Finding finding;
    std::vector<std::string> named;
    for (const Share& share : shares) {
        if (named.size() == kMaxNamed ||
            share.milliseconds < kMinShare * slowest->cost.milliseconds())
            break;
        const std::string_view name = costTermName(share.term);  // "Draw calls, each thousand"
        named.push_back(
            fmt::format("{} {:.1f} ms", name.substr(0, name.find(',')), share.milliseconds));
    }
    finding.subjects = {{Subject::Kind::Scene, 0, in.scene.name}};
    finding.sentence = fmt::format(
        "A frame takes {}{:.1f} ms of {:.1f} ms allowed at {}, limited by the {}: {}",
        in.target.calibrated ? "" : "about ", slowest->cost.milliseconds(), in.target.frameTime(),
        spot.name, slowest->cost.limitedBy(), fmt::join(named, ", "));
    finding.evidence = {
        {in.target.calibrated ? "frame time" : "frame time (estimate)",
         slowest->cost.milliseconds(), Quantity::Unit::Milliseconds, in.target.frameTime()},
        {"spots over", static_cast<double>(slowest->spotsOver)}};
    finding.where = {spot.views[slowest->view]};
    finding.over = measureOf(shares.front().term);
    if (finding.over) finding.fix = proposedFix(in, fixFor(*finding.over));
    return {std::move(finding)};
}

}  // namespace

const Rule& slowFrameRule() {
    static const Rule rule = {
        .key = "slow-frame",
        .name = "The frame takes too long",
        .why = "Pictures come late: motion stutters, also where every measure is within its limit.",
        .measured =
            "The surveyed view with the longest frame by the target's cost model, above the time "
            "that its frame rate leaves; an estimate unless the target is calibrated. The terms of "
            "the slower side are named from 5 % on. It saves nothing by itself: the other findings "
            "say what does.",
        .advice = "What takes most first; flentro-cli calibrate fits the model to measured frames.",
        .namesOnly = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
