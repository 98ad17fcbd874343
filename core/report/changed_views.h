// The views in which the steps of a work order change most of what is seen.

#pragma once

#include "fixes/work_order.h"

namespace flentro {

/// Views of the evidence, at most `count` and one for each place: the steps choose in turn, each
/// the view in which it changes most of the seen pixels, and of their light. Where no step changes
/// anything that is known to be seen, views are spread over the places.
/// Cost: O(steps x (objects seen + entries of the light matrix)).
[[nodiscard]] std::vector<Viewpoint> changedViews(const Evaluation& evaluation,
                                                  const Target& target, const Evidence& evidence,
                                                  std::size_t count);

}  // namespace flentro
