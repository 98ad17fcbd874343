// Where to survey, as the verbs survey, audit and calibrate take it.

#pragma once

#include <CLI/CLI.hpp>

#include "console.h"
#include "survey/survey.h"

namespace flentro::cli {

struct SurveyOptions {
    std::string target = "Kiosk 60";
    std::string area;
    std::string route;
    std::string spots;
    std::vector<double> start;
    double spacing = 8;
    double eyeHeight = 1.7;
    int headings = 8;
};

void addSurveyOptions(CLI::App& verb, SurveyOptions& options);

/// The spots that the options ask for. `rays` are made when they are needed and not there.
[[nodiscard]] Expected<std::vector<SurveySpot>> findSpots(const Scene& scene,
                                                          const SurveyOptions& options,
                                                          std::unique_ptr<RayScene>& rays,
                                                          Progress& progress);

}  // namespace flentro::cli
