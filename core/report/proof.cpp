#include "report/proof.h"

#include <algorithm>

#include "base/parallel.h"
#include "measure/view_meter.h"

namespace flentro {
namespace {

WorstLoad worstFrom(const ViewMeter& meter, const Evidence::Place& place, const Target& target) {
    WorstLoad worst;
    const auto tallies = meter.count(meter.sight(place.eye, place.views));
    for (std::size_t v = 0; v < tallies.size(); ++v) {
        const Counts load = loads(tallies[v].counts, target);
        const Measure measure = worstMeasure(load);
        if (v == 0 || at(load, measure) > worst.load)
            worst = {at(load, measure), measure, place.views[v]};
    }
    return worst;
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
    parallelEach(places.size(), [&](std::size_t p) {
        proof.spots[p] = {worstFrom(meterBefore, places[p], target),
                          worstFrom(meterAfter, places[p], target)};
    });
    for (std::size_t p = 0; p < proof.spots.size(); ++p) {
        const SpotProof& spot = proof.spots[p];
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
    for (const SpotProof& spot : proof.spots) {
        const Vec3d& eye = spot.before.view.eye;
        json["spots"].push_back({{"eye", {eye.x(), eye.y(), eye.z()}},
                                 {"before", toJson(spot.before)},
                                 {"after", toJson(spot.after)}});
    }
    return json;
}

}  // namespace flentro
