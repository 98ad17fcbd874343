#include "report/proof.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "geometry/mesh_materials.h"
#include "measure/view_meter.h"

namespace flentro {
namespace {

/// [measures] The worst of a place's views.
using WorstLoads = std::array<WorstLoad, kMeasureCount>;

/// Of one measure.
void keepWorst(WorstLoad& kept, const WorstLoad& load, bool first) {
    if (first || load.value > kept.value) kept = load;
}

/// Highest loads and longest frame of one place.
struct Worst {
    WorstLoads loads;
    FrameLoad frame;
};

Worst worstFrom(const ViewMeter& meter, const Evidence::Place& place, const Target& target) {
    Worst worst;
    const auto tallies = meter.count(meter.sight(place.eye, place.views));
    for (const Measure measure : kMeasures) elementOf(worst.loads, measure).measure = measure;
    for (std::size_t v = 0; v < tallies.size(); ++v) {
        const Counts load = loads(tallies[v].counts, target);
        for (const Measure measure : kMeasures)
            keepWorst(elementOf(worst.loads, measure),
                      {at(load, measure), at(tallies[v].counts, measure), measure, place.views[v]},
                      v == 0);
        const CostTerms terms =
            termsOf(tallies[v], target, place.work.empty() ? PixelWork() : place.work[v]);
        const FrameCost cost = frameCost(terms, target);
        const double time = cost.milliseconds() / target.frameTime();
        if (time > worst.frame.load) worst.frame = {time, terms, cost, place.views[v]};
    }
    return worst;
}

/// What single assets have of measures that do not add up, at each of their levels.
class AssetCounts {
public:
    explicit AssetCounts(const Scene& scene) : scene_(scene) {
        for (const Asset& asset : scene.assets) {
            counts_.emplace_back();
            for (std::size_t level = 0; level < asset.levelCount(); ++level)
                counts_.back().push_back(countsOf(*asset.level(level)));
        }
    }

    /// The most that any object shows to somebody up to `slack` metres nearer than the eye, and
    /// the object. Turning the head is for free.
    void raiseFrom(const Vec3d& eye, double slack, const Target& target, WorstLoads& worst) const {
        for (const Object& object : scene_.objects) {
            if (object.bounds.isEmpty() || !isThere(scene_, object, eye)) continue;
            const double distance = std::max(0.0, distanceTo(object.bounds, eye) - slack);
            if (distance >= target.farPlane) continue;
            const Ladder& ladder = scene_.asset(object).ladder;
            const std::size_t level = levelAt(ladder, object.scale, distance);
            const Counts& counts = elementOf(counts_, object.asset)[level];
            for (const Measure measure :
                 {Measure::TextureEdge, Measure::MaterialsPerObject, Measure::VerticesPerMesh}) {
                WorstLoad& kept = elementOf(worst, measure);
                if (at(counts, measure) <= kept.value) continue;
                const Vec3d way = object.bounds.center() - eye;
                const double heading =
                    std::fmod(toDegrees(std::atan2(way.x(), -way.z())) + 360, 360);
                kept = {loadOf(at(counts, measure), at(target.limits, measure)),
                        at(counts, measure),
                        measure,
                        {eye, heading, 0}};
            }
        }
    }

private:
    [[nodiscard]] Counts countsOf(const Mesh& mesh) const {
        Counts counts{};
        at(counts, Measure::MaterialsPerObject) = static_cast<double>(materialCount(mesh));
        for (const Part& part : mesh.parts) {
            double& vertices = at(counts, Measure::VerticesPerMesh);
            vertices = std::max(vertices, static_cast<double>(part.vertexCount()));
            if (part.material < 0) continue;
            for (const TextureUse& use : elementOf(scene_.materials, part.material).textures)
                if (const int image = scene_.imageOf(use.texture); image >= 0) {
                    const Image& shown = elementOf(scene_.images, image);
                    double& edge = at(counts, Measure::TextureEdge);
                    edge = std::max({edge, static_cast<double>(shown.width),
                                     static_cast<double>(shown.height)});
                }
        }
        return counts;
    }

    const Scene& scene_;
    std::vector<std::vector<Counts>> counts_;  ///< [assets][levels]
};

/// The first of the highest.
const WorstLoad& highest(const WorstLoads& loads) {
    return *std::max_element(loads.begin(), loads.end(),
                             [](const auto& a, const auto& b) { return a.load < b.load; });
}

Json toJson(const WorstLoad& worst) {
    return {{"load", worst.load},
            {"value", worst.value},
            {"measure", measureKey(worst.measure)},
            {"heading", worst.view.heading},
            {"pitch", worst.view.pitch}};
}

Json withEye(const WorstLoad& worst) {
    Json json = toJson(worst);
    json.erase("measure");
    json["eye"] = {worst.view.eye.x(), worst.view.eye.y(), worst.view.eye.z()};
    return json;
}

Json toJson(const FrameLoad& frame, const Target& target) {
    const Viewpoint& view = frame.view;
    return {{"load", frame.load},
            {"milliseconds", frame.cost.milliseconds()},
            {"limitedBy", frame.cost.limitedBy()},
            {"heaviest", costTermName(heaviestTerm(frame.terms, target))},
            {"eye", {view.eye.x(), view.eye.y(), view.eye.z()}},
            {"heading", view.heading},
            {"pitch", view.pitch}};
}

}  // namespace

std::vector<Evidence::Place> placesAt(const std::vector<SurveySpot>& spots, int headings) {
    std::vector<Evidence::Place> places;
    for (const SurveySpot& spot : spots)
        places.push_back(
            {spot.eye, spot.views.empty() ? allAround(spot.eye, headings, 0) : spot.views, {}});
    return places;
}

Proof prove(const Scene& before, const Scene& after, const Target& target,
            const std::vector<Evidence::Place>& places, double slack, Progress& progress) {
    Proof proof;
    proof.spots.resize(places.size());
    const ViewMeter meterBefore(before, target);
    const ViewMeter meterAfter(after, target);
    const AssetCounts assetsBefore(before);
    const AssetCounts assetsAfter(after);
    std::vector<std::pair<Worst, Worst>> found(places.size());
    (void)parallelFor(places.size(), "Counting", progress, [&](std::size_t p) {
        found[p] = {worstFrom(meterBefore, places[p], target),
                    worstFrom(meterAfter, places[p], target)};
        if (slack <= 0) return;
        assetsBefore.raiseFrom(places[p].eye, slack, target, found[p].first.loads);
        assetsAfter.raiseFrom(places[p].eye, slack, target, found[p].second.loads);
    });
    for (std::size_t p = 0; p < proof.spots.size(); ++p) {
        const auto& [there, then] = found[p];
        SpotProof& spot = proof.spots[p];
        spot = {highest(there.loads), highest(then.loads)};
        for (std::size_t m = 0; m < kMeasureCount; ++m) {
            MeasureProof& measure = proof.measures[m];
            keepWorst(measure.before, there.loads[m], p == 0);
            keepWorst(measure.after, then.loads[m], p == 0);
            measure.overBefore += stateOf(there.loads[m].load) == State::Over;
            measure.overAfter += stateOf(then.loads[m].load) == State::Over;
        }
        if (there.frame.load > proof.frame.before.load) proof.frame.before = there.frame;
        if (then.frame.load > proof.frame.after.load) proof.frame.after = then.frame;
        proof.frame.overBefore += stateOf(there.frame.load) == State::Over;
        proof.frame.overAfter += stateOf(then.frame.load) == State::Over;
        proof.overBefore += stateOf(spot.before.load) == State::Over;
        proof.overAfter += stateOf(spot.after.load) == State::Over;
        if (spot.before.load > proof.spots[proof.worstBefore].before.load) proof.worstBefore = p;
        if (spot.after.load > proof.spots[proof.worstAfter].after.load) proof.worstAfter = p;
    }
    return proof;
}

double largestHysteresis(const Scene& scene) {
    double largest = 0;
    for (const Asset& asset : scene.assets)
        if (!asset.ladder.empty()) largest = std::max(largest, asset.ladder.hysteresis);
    return largest;
}

Json toJson(const Proof& proof, const Target& target) {
    Json json = {{"format", "flentro-proof"},
                 {"version", 1},
                 {"target", target.name},
                 {"batching", batchingKey(target.batching)},
                 {"spotsOverBefore", proof.overBefore},
                 {"spotsOverAfter", proof.overAfter},
                 {"spots", Json::array()}};
    for (const MeasureProof& measure : proof.measures)
        json["measures"][measureKey(measure.before.measure)] = {
            {"before", measure.before.load},
            {"after", measure.after.load},
            {"spotsOverBefore", measure.overBefore},
            {"spotsOverAfter", measure.overAfter},
            {"highestBefore", withEye(measure.before)},
            {"highestAfter", withEye(measure.after)}};
    for (const Measure measure : kMeasures)
        if (isLimit(at(target.limits, measure)))
            json["measures"][measureKey(measure)]["limit"] = at(target.limits, measure);
    json["frame"] = {{"limit", target.frameTime()},
                     {"estimate", !target.calibrated},
                     {"before", toJson(proof.frame.before, target)},
                     {"after", toJson(proof.frame.after, target)},
                     {"spotsOverBefore", proof.frame.overBefore},
                     {"spotsOverAfter", proof.frame.overAfter}};
    for (const SpotProof& spot : proof.spots) {
        const Vec3d& eye = spot.before.view.eye;
        json["spots"].push_back({{"eye", {eye.x(), eye.y(), eye.z()}},
                                 {"before", toJson(spot.before)},
                                 {"after", toJson(spot.after)}});
    }
    return json;
}

}  // namespace flentro
