#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "findings/ranking.h"
#include "findings/rules/rule.h"

namespace flentro {
namespace {

constexpr std::size_t kMaxNamed = 5;
constexpr double kMinShare = 0.05;  ///< Of the measure: less is not named.

/// Something that fills a measure.
struct Filler {
    double value = 0;
    Subject subject;
};

std::vector<Filler> assetsOf(const FindingInput& in, const CountedView& view, Measure measure) {
    std::vector<Filler> fillers;
    for (std::size_t a = 0; a < view.assets.size(); ++a) {
        const CostShare& share = view.assets[a];
        if (share.copies == 0) continue;
        const double value = measure == Measure::Triangles   ? share.triangles
                             : measure == Measure::DrawCalls ? share.drawCalls
                             : measure == Measure::Objects   ? static_cast<double>(share.copies)
                             : measure == Measure::VerticesPerMesh ? share.vertices
                                                                   : share.materials;
        fillers.push_back({value, assetSubject(in.scene, a)});
    }
    return fillers;
}

std::vector<Filler> lightsOf(const FindingInput& in, const CountedView& view, Measure measure) {
    std::vector<Filler> fillers;
    for (const DrawnLight& drawn : view.cost.lights)
        if (measure == Measure::Lights || drawn.castsShadow)
            fillers.push_back({1, lightSubject(in.scene, drawn.light)});
    return fillers;
}

std::vector<Filler> imagesOf(const FindingInput& in, const CountedView& view, Measure measure) {
    std::vector<Filler> fillers;
    for (std::size_t i = 0; i < view.images.size(); ++i)
        if (view.images[i])
            fillers.push_back(
                {measure == Measure::TextureBytes ? in.textures.of(i) : edgeOf(in.scene.images[i]),
                 imageSubject(in.scene, i)});
    return fillers;
}

std::vector<Filler> fillersOf(const FindingInput& in, const CountedView& view, Measure measure) {
    switch (measure) {
        case Measure::Lights:
        case Measure::ShadowLights:
            return lightsOf(in, view, measure);
        case Measure::TextureBytes:
        case Measure::TextureEdge:
            return imagesOf(in, view, measure);
        default:
            return assetsOf(in, view, measure);
    }
}

Finding findingOf(const FindingInput& in, Measure measure) {
    const CountedView& view = in.views.worst(measure);
    const double count = at(in.views.counts(), measure);
    const double limit = at(in.target.limits, measure);
    std::vector<Filler> fillers = fillersOf(in, view, measure);
    std::stable_sort(fillers.begin(), fillers.end(),
                     [](const Filler& a, const Filler& b) { return a.value > b.value; });
    Finding finding;
    std::vector<std::string> named;
    for (const Filler& filler : fillers) {
        const bool isMuch = !isLargestInUse(measure)
                                ? filler.value >= kMinShare * count || measure == Measure::Lights ||
                                      measure == Measure::ShadowLights
                                : filler.value > limit;
        if (named.size() == kMaxNamed || !isMuch) break;
        finding.subjects.push_back(filler.subject);
        named.push_back(
            !isLargestInUse(measure) && filler.value != 1
                ? fmt::format("{} {}", filler.subject.name, formatShare(filler.value / count))
                : filler.subject.name);
    }
    if (finding.subjects.empty()) finding.subjects = {{Subject::Kind::Scene, 0, in.scene.name}};
    finding.sentence = fmt::format("{} {} of {} allowed{}: {}", measureName(measure),
                                   formatMeasure(measure, count), formatMeasure(measure, limit),
                                   view.spot.empty() ? "" : " at " + view.spot,
                                   named.empty() ? "many small shares, none above 5 %"
                                                 : fmt::format("{}", fmt::join(named, ", ")));
    finding.evidence = {
        {measureName(measure), count,
         measure == Measure::TextureBytes ? Quantity::Unit::Memory : Quantity::Unit::Count, limit}};
    if (in.views.isSurveyed()) finding.where = {view.view};
    finding.fix = proposedFix(in, fixFor(measure));
    finding.over = measure;
    return finding;
}

std::vector<Finding> run(const FindingInput& in) {
    std::vector<Finding> findings;
    for (const Measure measure : kMeasures)
        if (at(in.views.loads(), measure) > 1) findings.push_back(findingOf(in, measure));
    return findings;
}

}  // namespace

const Rule& overLimitRule() {
    static const Rule rule = {
        .key = "over-limit",
        .name = "Over the limit",
        .why = "The frame takes longer than it may, or the device refuses.",
        .measured =
            "For each measure above its limit, in the view where it is worst: the few "
            "things that fill it, from 5 % on. It saves nothing by itself: the other "
            "findings say what does.",
        .advice = "See the findings about the things that are named.",
        .namesOnly = true,
        .run = run,
    };
    return rule;
}

}  // namespace flentro
