// Surveys as a project asks for them.

#pragma once

#include <filesystem>
#include <memory>
#include <vector>

#include "project/project.h"
#include "survey/survey.h"

namespace flentro {

/// The spots that a project's survey stands on, without its camera; never none. `source`: the
/// scene that `scene` was made from by fixes, or the same; both have the same spots. `rays` of
/// `scene` are built where they are needed and not there.
/// Errors: NotFound where nothing is kept, recorded or of the name; Cancelled.
[[nodiscard]] Expected<std::vector<SurveySpot>> spotsFor(const Project& project,
                                                         const Scene& source, const Scene& scene,
                                                         std::unique_ptr<RayScene>& rays,
                                                         Progress& progress);

/// Takes the survey, with what each light of `source` adds, or reads the same one from `cache`;
/// a complete one is kept there. `source`: the scene that `scene` was made from by fixes; or the
/// same. An empty `cache`: none; one that cannot be written is passed over.
/// Stopped before its first spot: Cancelled; later: not complete.
[[nodiscard]] Expected<Survey> surveyFor(const Project& project, const Scene& source,
                                         const Scene& scene, const std::filesystem::path& cache,
                                         Progress& progress, const OnSpot& onSpot = {});

}  // namespace flentro
