#include "survey_options.h"

#include "report/survey_report.h"

namespace flentro::cli {

void addSurveyOptions(CLI::App& verb, SurveyOptions& options) {
    verb.add_option("--target", options.target, "A shipped target or a *.target.json file");
    auto* area = verb.add_option("--area", options.area,
                                 "Stand on the surfaces of this node and those below it");
    auto* route =
        verb.add_option("--route", options.route,
                        "Go along the path of this animated node, or of a *.json file of spots");
    auto* spots = verb.add_option("--spots", options.spots, "Stand on the spots of this file");
    area->excludes(route)->excludes(spots);
    route->excludes(spots);
    verb.add_option("--start", options.start,
                    "Walk from here; by default from the scene's first camera")
        ->delimiter(',')
        ->expected(3)
        ->type_name("X,Y,Z");
    verb.add_option("--spacing", options.spacing, "Metres between spots")
        ->check(CLI::Range(0.1, 1000.0));
    verb.add_option("--eye-height", options.eyeHeight, "Metres above the ground")
        ->check(CLI::Range(0.05, 100.0));
    verb.add_option("--headings", options.headings, "All around each spot")
        ->check(CLI::Range(1, 12));
}

Expected<std::vector<SurveySpot>> findSpots(const Scene& scene, const SurveyOptions& options,
                                            std::unique_ptr<RayScene>& rays, Progress& progress) {
    if (!options.spots.empty()) {
        auto views = readSpots(options.spots);
        if (!views) return tl::unexpected(views.error());
        std::vector<SurveySpot> spots;
        for (const Viewpoint& view : *views)
            spots.push_back({std::to_string(spots.size() + 1), view.eye, 0, {}});
        return spots;
    }
    if (!options.route.empty()) {
        auto path = options.route.ends_with(".json") ? readSpots(options.route)
                                                     : animatedPath(scene, options.route);
        if (!path) return tl::unexpected(path.error());
        std::vector<SurveySpot> spots = spotsAlong(*path, options.spacing);
        for (SurveySpot& spot : spots) spot.views.clear();
        return spots;
    }
    if (!rays) rays = std::make_unique<RayScene>(scene);
    SpotPlan plan;
    plan.area = options.area;
    plan.spacing = options.spacing;
    plan.walker.eyeHeight = options.eyeHeight;
    plan.starts = {options.start.size() == 3
                       ? Vec3d(options.start[0], options.start[1], options.start[2])
                       : startingView(scene).eye};
    return planSpots(scene, *rays, plan, progress);
}

}  // namespace flentro::cli
