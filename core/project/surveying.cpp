#include "project/surveying.h"

#include <fmt/format.h>

#include "scene/far.h"
#include "survey/light_matrix.h"
#include "survey/spots.h"
#include "survey/starting_view.h"
#include "survey/survey_file.h"

namespace flentro {
namespace {

using Where = SurveyRequest::Where;

Expected<std::vector<SurveySpot>> keptSpots(const Project& project) {
    std::vector<SurveySpot> spots;
    for (const Spot& spot : project.spots) {
        if (!isInReach(spot.view.eye))
            return fail(ErrorCode::InvalidInput, std::string("lies ") + kBeyondReach,
                        "spot '" + spot.name + "'");
        spots.push_back({spot.name, spot.view.eye, 0, {}});
    }
    if (spots.empty())
        return fail(ErrorCode::NotFound, "No spots are kept yet", {},
                    "Walk to places that players reach and keep them");
    return spots;
}

Expected<std::vector<SurveySpot>> spotsOnLine(const Scene& source, const Project& project) {
    auto line = project.survey.where == Where::Walk ? Expected<std::vector<Viewpoint>>(project.walk)
                                                    : animatedPath(source, project.survey.node);
    if (!line) return tl::unexpected(line.error());
    if (line->empty())
        return fail(ErrorCode::NotFound, "No walk is recorded yet", {},
                    "Press Record walk, walk, and press it again");
    auto spots = spotsAlong(*line, project.survey.spacing);
    if (!spots) return spots;
    for (SurveySpot& spot : *spots) spot.views.clear();  // all around, like everywhere
    return spots;
}

}  // namespace

Expected<std::vector<SurveySpot>> spotsFor(const Project& project, const Scene& source,
                                           const Scene& scene, std::unique_ptr<RayScene>& rays,
                                           Progress& progress) {
    const SurveyRequest& request = project.survey;
    if (request.where == Where::Kept) return keptSpots(project);
    if (request.where == Where::Walk || request.where == Where::Path)
        return spotsOnLine(source, project);
    SpotPlan plan;
    plan.source = &source;
    if (request.where == Where::Area) plan.area = request.node;
    plan.spacing = request.spacing;
    plan.walker.eyeHeight = request.eyeHeight;
    plan.verticalFov = project.target.verticalFov;
    plan.starts = {project.view.eye};
    for (const Spot& spot : project.spots) plan.starts.push_back(spot.view.eye);
    if (auto built = ensureRays(rays, scene, progress); !built)
        return tl::unexpected(built.error());
    for (const Vec3d& eye : standingCameras(source, *rays, request.eyeHeight))
        plan.starts.push_back(eye);
    return planSpots(scene, *rays, plan, progress);
}

namespace {

/// What chooses the spots, as text.
std::string describeWhere(const Project& project) {
    const SurveyRequest& request = project.survey;
    std::string text = fmt::format("{} {} {} {} {} {}", static_cast<int>(request.where),
                                   request.node, request.spacing, request.eyeHeight,
                                   request.camera.firstHeading, request.camera.lastHeading);
    for (const double distance : request.camera.distances)
        text += fmt::format(" behind {}", distance);
    for (const double pitch : request.camera.pitches) text += fmt::format(" pitch {}", pitch);
    const auto add = [&](const Viewpoint& view) {
        for (const double c : view.eye) text += fmt::format(" {}", c);
    };
    if (request.where == Where::Reach) add(project.view);
    if (request.where == Where::Walk)
        for (const Viewpoint& view : project.walk) add(view);
    if (request.where == Where::Reach || request.where == Where::Kept)
        for (const Spot& spot : project.spots) {
            text += " " + spot.name;
            add(spot.view);
        }
    return text;
}

}  // namespace

Expected<Survey> surveyFor(const Project& project, const Scene& source, const Scene& scene,
                           const std::filesystem::path& cache, Progress& progress,
                           const OnSpot& onSpot) {
    SurveySettings settings;
    settings.faceSize = project.survey.faceSize;
    settings.onlyInViews = !project.survey.camera.isFree();
    const std::string origin = &source == &scene ? "" : toHex(hashScene(source));
    const Hash key = surveyKey(scene, project.target, settings, describeWhere(project) + origin);
    if (!cache.empty())
        if (auto known = loadSurvey(cache, key, scene, project.target)) return std::move(*known);
    std::unique_ptr<RayScene> rays;
    SubProgress finding(progress, 0, 0.1);
    auto spots = spotsFor(project, source, scene, rays, finding);
    if (!spots) return tl::unexpected(spots.error());
    *spots = throughCamera(*spots, project.survey.camera, settings.headings);
    SubProgress looking(progress, 0.1, 0.95);
    SubProgress lighting(progress, 0.95, 1);
    const bool looks = settings.faceSize > 0;
    if (looks)
        if (auto built = ensureRays(rays, scene, looking); !built)
            return tl::unexpected(built.error());
    Survey survey = takeSurvey(scene, looks ? rays.get() : nullptr, project.target, *spots,
                               settings, looking, onSpot);
    if (looks && survey.complete) {
        auto measured = measureLights(source, scene, *rays, survey, lighting);
        survey.complete = measured.has_value();
        if (measured) survey.lights = std::move(*measured);
    }
    if (survey.complete) {
        if (auto built = ensureRays(rays, scene, lighting); !built)
            return tl::unexpected(built.error());
        Walker walker;
        walker.eyeHeight = project.survey.eyeHeight;
        auto coverage = coverageOf(source, *rays, walker, *spots, project.survey.spacing, lighting);
        survey.complete = coverage.has_value();
        if (coverage) survey.setCoverage(std::move(*coverage), scene);
    }
    // Not an error if the folder cannot be written: it is surveyed anew next time.
    if (!cache.empty() && survey.complete) (void)saveSurvey(survey, key, cache);
    return survey;
}

}  // namespace flentro
