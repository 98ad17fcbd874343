#include "report/proof.h"

#include <algorithm>

#include "base/index.h"
#include "base/parallel.h"
#include "measure/view_meter.h"

namespace flentro {
namespace {

/// [measures] The worst of a place's views.
using WorstLoads = std::array<WorstLoad, kMeasureCount>;

void keepWorst(WorstLoad& kept, const WorstLoad& load, bool first) {
    if (first || load.load > kept.load) kept = load;
}

WorstLoads worstFrom(const ViewMeter& meter, const Evidence::Place& place, const Target& target) {
    WorstLoads worst;
    const auto tallies = meter.count(meter.sight(place.eye, place.views));
    for (const Measure measure : kMeasures) elementOf(worst, measure).measure = measure;
    for (std::size_t v = 0; v < tallies.size(); ++v) {
        const Counts load = loads(tallies[v].counts, target);
        for (const Measure measure : kMeasures)
            keepWorst(elementOf(worst, measure), {at(load, measure), measure, place.views[v]},
                      v == 0);
    }
    return worst;
}

/// The first of the highest.
const WorstLoad& highest(const WorstLoads& loads) {
    return *std::max_element(loads.begin(), loads.end(),
                             [](const auto& a, const auto& b) { return a.load < b.load; });
}

Json toJson(const WorstLoad& worst) {
    return {{"load", worst.load},
            {"measure", measureKey(worst.measure)},
            {"heading", worst.view.heading},
            {"pitch", worst.view.pitch}};
}

}  // namespace

Proof prove(const Scene& before, const Scene& after, const Target& target,
            const std::vector<Evidence::Place>& places) {
    Proof proof;
    proof.spots.resize(places.size());
    const ViewMeter meterBefore(before, target);
    const ViewMeter meterAfter(after, target);
    std::vector<std::pair<WorstLoads, WorstLoads>> found(places.size());
    parallelEach(places.size(), [&](std::size_t p) {
        found[p] = {worstFrom(meterBefore, places[p], target),
                    worstFrom(meterAfter, places[p], target)};
    });
    for (std::size_t p = 0; p < proof.spots.size(); ++p) {
        SpotProof& spot = proof.spots[p];
        spot = {highest(found[p].first), highest(found[p].second)};
        for (std::size_t m = 0; m < kMeasureCount; ++m) {
            MeasureProof& measure = proof.measures[m];
            keepWorst(measure.before, found[p].first[m], p == 0);
            keepWorst(measure.after, found[p].second[m], p == 0);
            measure.overBefore += stateOf(found[p].first[m].load) == State::Over;
            measure.overAfter += stateOf(found[p].second[m].load) == State::Over;
        }
        proof.overBefore += stateOf(spot.before.load) == State::Over;
        proof.overAfter += stateOf(spot.after.load) == State::Over;
        if (spot.before.load > proof.spots[proof.worstBefore].before.load) proof.worstBefore = p;
        if (spot.after.load > proof.spots[proof.worstAfter].after.load) proof.worstAfter = p;
    }
    return proof;
}

Json toJson(const Proof& proof, const Target& target) {
    Json json = {{"format", "flentro-proof"},
                 {"version", 1},
                 {"target", target.name},
                 {"spotsOverBefore", proof.overBefore},
                 {"spotsOverAfter", proof.overAfter},
                 {"spots", Json::array()}};
    for (const MeasureProof& measure : proof.measures)
        json["measures"][measureKey(measure.before.measure)] = {
            {"before", measure.before.load},
            {"after", measure.after.load},
            {"spotsOverBefore", measure.overBefore},
            {"spotsOverAfter", measure.overAfter}};
    for (const SpotProof& spot : proof.spots) {
        const Vec3d& eye = spot.before.view.eye;
        json["spots"].push_back({{"eye", {eye.x(), eye.y(), eye.z()}},
                                 {"before", toJson(spot.before)},
                                 {"after", toJson(spot.after)}});
    }
    return json;
}

}  // namespace flentro
