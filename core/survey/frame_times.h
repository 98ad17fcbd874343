// How long frames of surveyed views take: estimates, unless the target was calibrated.

#pragma once

#include "measure/frame_cost.h"
#include "survey/survey.h"

namespace flentro {

/// Units of the cost terms of one view, with what its spot has found pixels filled with.
[[nodiscard]] CostTerms viewTerms(const Survey& survey, std::size_t spot, std::size_t view);

/// The view whose frame takes longest.
struct SlowestView {
    std::size_t spot = 0;
    std::size_t view = 0;
    CostTerms terms{};
    FrameCost cost;
    double load = 0;            ///< Milliseconds / those of a frame.
    std::size_t spotsOver = 0;  ///< With a view that takes longer than a frame may.
};
/// Nothing without spots that are done.
[[nodiscard]] std::optional<SlowestView> slowestView(const Survey& survey);

/// The same where the views count otherwise; their pixels are filled as they were surveyed.
/// `tallies`: [spots][views], of as many spots as there are.
[[nodiscard]] std::optional<SlowestView> slowestView(
    const Survey& survey, const Target& target, std::span<const std::vector<ViewTally>> tallies);

}  // namespace flentro
