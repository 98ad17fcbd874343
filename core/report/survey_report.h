// A survey as tables and JSON, and the spots that people give.

#pragma once

#include "report/audit.h"
#include "survey/analysis.h"
#include "survey/frame_times.h"

namespace flentro {

/// Worst views, waste, what is never seen, far plane and every spot (docs/formats).
[[nodiscard]] Json toJson(const Scene& scene, const Survey& survey);

/// Ground that is walked, objects that are seen, and where else to start.
[[nodiscard]] Json toJson(const Coverage& coverage);

/// One line for each view: spot, position, heading, counts, loads, estimated milliseconds.
[[nodiscard]] std::string toCsv(const Survey& survey);

[[nodiscard]] Json frameJson(const Survey& survey, const SlowestView& slowest);

/// Where one measure is worst.
struct WorstOfMeasure {
    Measure measure = Measure::Triangles;
    WorstView where;
    std::string spot;  ///< Its name.
    Viewpoint view;
};
/// One for each measure with a limit, highest load first. Empty without spots.
[[nodiscard]] std::vector<WorstOfMeasure> worstViews(const Survey& survey);

/// Places from a file of format flentro-spots: points with optional headings.
/// Errors: NotFound, Io, InvalidInput naming the point.
[[nodiscard]] Expected<std::vector<Viewpoint>> readSpots(const std::filesystem::path& path);

/// Measured frames from CSV with the columns spot, heading, ms (any order, more are ignored),
/// each matched to the surveyed view of that spot nearest in heading.
/// Errors: InvalidInput naming the line.
[[nodiscard]] Expected<std::vector<FrameSample>> readFrameTimes(const std::string& csv,
                                                                const Survey& survey);

}  // namespace flentro
