// A result counted between the spots of its survey, where nobody has stood yet.

#pragma once

#include "project/project.h"
#include "report/proof.h"
#include "survey/survey.h"

namespace flentro {

struct BetweenProof {
    Proof proof;         ///< Of all places; views of each are all around.
    double spacing = 0;  ///< Metres between the places.
    int headings = 0;
};

/// Counts places that stand four times as close as the spots of the project's survey, begun from
/// its first. Nothing is looked at by rays. `source`: the scene that `result` was made from by the
/// project's order.
/// Errors: NotFound where there is nothing between, as for kept spots or those around a thing that
/// stands alone; Cancelled.
[[nodiscard]] Expected<BetweenProof> proveBetween(const Project& project, const Survey& survey,
                                                  const Scene& source, const Scene& result,
                                                  Progress& progress);

}  // namespace flentro
