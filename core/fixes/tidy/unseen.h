// What a survey has never seen, in a form that a work order can keep.

#pragma once

#include "fixes/tidy/tidy.h"
#include "survey/survey.h"

namespace flentro {

/// Of each mesh the triangles that removableTriangles() allows to go; of meshes that several
/// assets share, only those that no copy shows. Empty where the survey covers too little to know.
/// `scene` is the one that was surveyed, by rays.
[[nodiscard]] std::vector<MeshRuns> takeUnseen(const Scene& scene, const Survey& survey);

}  // namespace flentro
