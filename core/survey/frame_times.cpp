#include "survey/frame_times.h"

#include <algorithm>

namespace flentro {
namespace {

/// What pixels are filled with where no rays were cast: a guess.
PixelWork workIn(const Survey& survey, std::size_t spot, std::size_t view) {
    return survey.spots[spot].seen.workInView[view];
}

}  // namespace

CostTerms viewTerms(const Survey& survey, std::size_t spot, std::size_t view) {
    return termsOf(survey.spots[spot].tallies[view], survey.target, workIn(survey, spot, view));
}

std::optional<SlowestView> slowestView(const Survey& survey) {
    std::vector<std::vector<ViewTally>> tallies;
    for (const SpotResult& spot : survey.spots)
        tallies.push_back(spot.done ? spot.tallies : std::vector<ViewTally>());
    return slowestView(survey, survey.target, tallies);
}

std::optional<SlowestView> slowestView(const Survey& survey, const Target& target,
                                       std::span<const std::vector<ViewTally>> tallies) {
    std::optional<SlowestView> slowest;
    std::size_t over = 0;
    for (std::size_t s = 0; s < std::min(tallies.size(), survey.spots.size()); ++s) {
        bool isOver = false;
        for (std::size_t v = 0; v < tallies[s].size(); ++v) {
            const CostTerms terms = termsOf(tallies[s][v], target, workIn(survey, s, v));
            const FrameCost cost = frameCost(terms, target);
            const double load = cost.milliseconds() / target.frameTime();
            isOver = isOver || load > 1;
            if (!slowest || load > slowest->load) slowest = {s, v, terms, cost, load, 0};
        }
        over += isOver;
    }
    if (slowest) slowest->spotsOver = over;
    return slowest;
}

}  // namespace flentro
