// Where to survey, as the verbs survey, audit and calibrate take it.

#pragma once

#include "console.h"
#include "project/project.h"
#include "survey/survey.h"
#include "verbs.h"

namespace flentro::cli {

inline constexpr const char* kUsualTarget = "Kiosk 60";

struct SurveyOptions {
    std::string target;  ///< Empty: the project's, or kUsualTarget.
    std::string area;
    std::string route;
    std::string spots;
    std::vector<double> starts;  ///< [starts * 3]
    double spacing = 8;
    double eyeHeight = 1.7;
    int headings = 8;
    std::string within;
    Camera camera;
    std::vector<double> cameraHeadings;
    /// Says what the options do not: target, and where to stand.
    std::shared_ptr<const Project> project = {};
};

/// Lets a project say what was not given: target, how the scene is read, where to survey it.
void adoptProject(std::shared_ptr<const Project> project, SurveyOptions& options, Common& common);

/// The target that was named, else that of the project. Errors: as findTarget().
[[nodiscard]] Expected<Target> targetOf(const SurveyOptions& options);

void addSurveyOptions(Arguments& verb, Common& common, SurveyOptions& options);

/// The spots that the options ask for, never none. `rays` are made when they are needed and not
/// there.
[[nodiscard]] Expected<std::vector<SurveySpot>> findSpots(const Scene& scene,
                                                          const SurveyOptions& options,
                                                          const Target& target,
                                                          std::unique_ptr<RayScene>& rays,
                                                          Progress& progress);

/// Measures what the spots of a survey cover. `rays` are made where they are not there.
[[nodiscard]] Expected<void> addCoverage(Survey& survey, const Scene& scene,
                                         const SurveyOptions& options,
                                         const std::vector<SurveySpot>& spots,
                                         std::unique_ptr<RayScene>& rays, Progress& progress);

/// Says so where the spots cover too little, and where else to start.
void warnOfCoverage(const Survey& survey);

/// A scene with the places to survey it from, for one target.
struct Surveyable {
    Target target;
    Scene scene;
    std::vector<SurveySpot> spots;
    std::unique_ptr<RayScene> rays;  ///< Null unless they were needed.
    SurveySettings settings;
};
[[nodiscard]] Expected<Surveyable> openToSurvey(const std::string& scene,
                                                const SurveyOptions& options, const Common& common,
                                                Progress& progress);

}  // namespace flentro::cli
