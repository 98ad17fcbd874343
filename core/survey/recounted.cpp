#include "survey/recounted.h"

#include "base/parallel.h"

namespace flentro {
namespace {

/// Its spots, views and coverage, and what pixels are filled with.
Survey withoutSeen(const Survey& survey) {
    Survey plain;
    plain.settings = survey.settings;
    plain.settings.faceSize = 0;
    plain.settings.keepSightings = false;
    plain.complete = survey.complete;
    plain.coverage = survey.coverage;
    for (const SpotResult& spot : survey.spots) {
        SpotResult& added = plain.spots.emplace_back();
        added.done = spot.done;
        added.name = spot.name;
        added.eye = spot.eye;
        added.views = spot.views;
        added.seen.workInView = spot.seen.workInView;
    }
    return plain;
}

}  // namespace

Expected<Survey> recounted(const Survey& survey, const Scene& scene, const Target& target,
                           Progress& progress) {
    constexpr const char* kWork = "Counting the surveyed views";
    Survey again = survey;
    again.target = target;
    const ViewMeter meter(scene, target);
    const bool finished = parallelFor(again.spots.size(), kWork, progress, [&](std::size_t i) {
        SpotResult& spot = again.spots[i];
        if (spot.done) spot.tallies = meter.count(meter.sight(spot.eye, spot.views), {});
    });
    if (!finished) return stopped(kWork);
    return again;
}

Expected<Survey> recountedIn(const Scene& other, const Survey& survey, const Target& target,
                             Progress& progress) {
    return recounted(withoutSeen(survey), other, target, progress);
}

}  // namespace flentro
