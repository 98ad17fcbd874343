// How much a survey lets each triangle matter, in a form that a work order can keep.

#pragma once

#include "fixes/ladder/ladder.h"
#include "survey/survey.h"

namespace flentro {

/// For each mesh how large its surface was seen, pixels a square metre from the best spot, against
/// the mean of the mesh: 100 percent. The weight goes with its root, in steps of two, so that
/// deviation in pixels is spread evenly; what removableTriangles() allows to go counts 5 percent.
/// Meshes that no spot has seen have none. `scene` is the one that was surveyed, by rays.
[[nodiscard]] std::vector<MeshRuns> takeWeights(const Scene& scene, const Survey& survey);

}  // namespace flentro
