// Counts the views of a survey again, after fixes or in another target.

#pragma once

#include "base/error.h"
#include "survey/survey.h"

namespace flentro {

/// The survey with its views counted again, in the same scene: what was seen stays.
/// Errors: Cancelled. Cost: O(views x objects).
[[nodiscard]] Expected<Survey> recounted(const Survey& survey, const Scene& scene,
                                         const Target& target, Progress& progress);

/// The same in another scene, as fixes have made it. Nobody has looked at that one: what was seen
/// of objects, triangles, textures and lights is left out, as if no rays had been cast; what pixels
/// are filled with stays as it was.
[[nodiscard]] Expected<Survey> recountedIn(const Scene& other, const Survey& survey,
                                           const Target& target, Progress& progress);

}  // namespace flentro
