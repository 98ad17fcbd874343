// Small surveys, for the tests of what is seen and of where to stand.

#pragma once

#include <initializer_list>
#include <string>
#include <vector>

#include "support/meshes.h"
#include "survey/survey.h"

namespace flentro::test {

/// Level ground around the origin.
[[nodiscard]] inline Placed ground(double size) {
    return {makeGrid(4, 4, size), {-size / 2, 0, -size / 2}};
}

/// Sixteen to nine, with limits of 100 for all measures.
[[nodiscard]] inline Target surveyDisplay() {
    Target target;
    target.verticalFov = 60;
    target.width = 1600;
    target.height = 900;
    target.farPlane = 500;
    target.batching = Batching::Nothing;
    target.limits.fill(100);
    return target;
}

/// Few rays, no search between the headings.
[[nodiscard]] inline SurveySettings plainSurvey(int faceSize = 64) {
    SurveySettings settings;
    settings.faceSize = faceSize;
    settings.betweenHeadings = false;
    return settings;
}

/// Spots at these eyes, called 1, 2, ...
[[nodiscard]] inline std::vector<SurveySpot> spotsAt(std::initializer_list<Vec3d> eyes) {
    std::vector<SurveySpot> spots;
    for (const Vec3d& eye : eyes) spots.push_back({std::to_string(spots.size() + 1), eye, 0, {}});
    return spots;
}

[[nodiscard]] inline Survey surveyed(const Scene& scene, const std::vector<SurveySpot>& spots,
                                     const SurveySettings& settings = plainSurvey(),
                                     const Target& target = surveyDisplay()) {
    return takeSurvey(scene, target, spots, settings, noProgress());
}

/// Objects that one spot sees.
[[nodiscard]] inline std::vector<std::uint32_t> seenFrom(const Survey& survey,
                                                         std::size_t spot = 0) {
    std::vector<std::uint32_t> seen;
    for (const SeenObject& object : survey.spots[spot].seen.objects) seen.push_back(object.object);
    return seen;
}

}  // namespace flentro::test
