#include "survey_options.h"
#include "base/index.h"

#include "base/text.h"
#include "project/surveying.h"
#include "report/survey_report.h"
#include "survey/starting_view.h"

namespace flentro::cli {

void addSurveyOptions(Arguments& verb, Common& common, SurveyOptions& options) {
    common.files.reads("--target", options.target);
    common.files.reads("--route", options.route);
    common.files.reads("--spots", options.spots);
    verb.option("--target", options.target, "A shipped target or a *.target.json file");
    Option area = verb.option("--area", options.area,
                              "Stand on the surfaces of this node and those below it");
    Option route =
        verb.option("--route", options.route,
                    "Go along the path of this animated node, or of a *.json file of spots");
    Option spots = verb.option("--spots", options.spots, "Stand on the spots of this file");
    area.excludes(route).excludes(spots);
    route.excludes(spots);
    verb.option("--start", options.starts,
                "Walk from here, and from others if given again; by default from the scene's "
                "first view and its cameras at eye height")
        .list()
        .onceEach()
        .finite()
        .as("X,Y,Z");
    verb.option("--spacing", options.spacing, "Metres between spots").between(0.1, 1000);
    verb.option("--eye-height", options.eyeHeight, "Metres above the ground").between(0.05, 100);
    verb.option("--headings", options.headings, "All around each spot").between(1, 12);
    verb.option("--within", options.within, "Players stand inside the bounds of this node");
    verb.option("--camera-distance", options.camera.distances,
                "Metres that the camera is behind the player's eye")
        .list()
        .between(0, 1000);
    verb.option("--camera-pitch", options.camera.pitches, "Degrees; -89 looks straight down")
        .list()
        .between(-90, 90);
    verb.option("--camera-headings", options.cameraHeadings,
                "Degrees clockwise from north that the camera turns between")
        .list(2)
        .between(-720, 720)
        .as("FROM,TO");
}

namespace {

/// The project with what the options say of its survey.
Project asGiven(const SurveyOptions& options) {
    Project project = *options.project;
    project.survey.spacing = options.spacing;
    project.survey.eyeHeight = options.eyeHeight;
    return project;
}

/// Without camera.
Expected<std::vector<SurveySpot>> standingSpots(const Scene& scene, const SurveyOptions& options,
                                                const Target& target,
                                                std::unique_ptr<RayScene>& rays,
                                                Progress& progress) {
    if (!options.spots.empty()) {
        auto views = readSpots(options.spots);
        if (!views) return tl::unexpected(views.error());
        std::vector<SurveySpot> spots;
        for (const Viewpoint& view : *views)
            spots.push_back({std::to_string(spots.size() + 1), view.eye, 0, {}});
        return spots;
    }
    if (options.project && options.area.empty() && options.route.empty() && options.starts.empty())
        return spotsFor(asGiven(options), scene, scene, rays, progress);
    if (!options.route.empty()) {
        auto path = options.route.ends_with(".json") ? readSpots(options.route)
                                                     : animatedPath(scene, options.route);
        if (!path) return tl::unexpected(path.error());
        auto spots = spotsAlong(*path, options.spacing);
        if (!spots) return spots;
        for (SurveySpot& spot : *spots) spot.views.clear();
        return spots;
    }
    if (auto built = ensureRays(rays, scene, progress); !built)
        return tl::unexpected(built.error());
    SpotPlan plan;
    plan.area = options.area;
    plan.spacing = options.spacing;
    plan.walker.eyeHeight = options.eyeHeight;
    plan.verticalFov = target.verticalFov;
    plan.starts.clear();
    for (std::size_t i = 0; i + 2 < options.starts.size(); i += 3)
        plan.starts.emplace_back(options.starts[i], options.starts[i + 1], options.starts[i + 2]);
    plan.largestGround = plan.starts.empty();
    if (plan.starts.empty()) {
        auto starts = walkStarts(scene, *rays, target, options.eyeHeight, progress);
        if (!starts) return tl::unexpected(starts.error());
        plan.starts = std::move(*starts);
    }
    return planSpots(scene, *rays, plan, progress);
}

/// The bounds of a node's own object. Errors: NotFound.
Expected<Box> boundsOf(const Scene& scene, const std::string& node) {
    for (const Object& object : scene.objects)
        if (elementOf(scene.nodes, object.node).name == node) return object.bounds;
    return fail(ErrorCode::NotFound, "no node of that name has a mesh", node);
}

Camera cameraOf(const SurveyOptions& options) {
    Camera camera = options.camera;
    if (options.cameraHeadings.size() != 2) return camera;
    camera.firstHeading = options.cameraHeadings[0];
    camera.lastHeading = options.cameraHeadings[1];
    if (camera.lastHeading < camera.firstHeading) camera.lastHeading += 360;
    return camera;
}

}  // namespace

void adoptProject(std::shared_ptr<const Project> project, SurveyOptions& options, Common& common) {
    const ImportSettings usual;
    ImportSettings& import = common.import;
    const ImportSettings& own = project->import;
    if (import.unit.empty()) import.unit = own.unit;
    if (import.up == usual.up) import.up = own.up;
    if (import.creaseAngle == usual.creaseAngle) import.creaseAngle = own.creaseAngle;
    if (!import.shadowLights) import.shadowLights = own.shadowLights;
    if (import.variant.empty()) import.variant = own.variant;
    auto adopted = std::make_shared<Project>(*project);
    const SurveyRequest& request = adopted->survey;
    const SurveyOptions before;
    if (options.spacing == before.spacing) options.spacing = request.spacing;
    if (options.eyeHeight == before.eyeHeight) options.eyeHeight = request.eyeHeight;
    if (options.camera.distances == before.camera.distances &&
        options.camera.pitches == before.camera.pitches && options.cameraHeadings.empty()) {
        options.camera = request.camera;
    }
    if (!options.target.empty())
        if (auto target = findTarget(options.target)) adopted->target = *target;
    options.project = std::move(adopted);
}

Expected<Target> targetOf(const SurveyOptions& options) {
    if (options.target.empty() && options.project) return options.project->target;
    return findTarget(options.target.empty() ? kUsualTarget : options.target);
}

Expected<std::vector<SurveySpot>> findSpots(const Scene& scene, const SurveyOptions& options,
                                            const Target& target, std::unique_ptr<RayScene>& rays,
                                            Progress& progress) {
    if (options.starts.size() % 3 != 0)
        return fail(ErrorCode::InvalidInput, "a start has three numbers", "--start");
    auto spots = standingSpots(scene, options, target, rays, progress);
    if (!spots) return spots;
    if (!options.within.empty()) {
        const auto region = boundsOf(scene, options.within);
        if (!region) return tl::unexpected(region.error());
        std::erase_if(*spots, [&](const SurveySpot& spot) { return !region->contains(spot.eye); });
        if (spots->empty())
            return fail(ErrorCode::NotFound, "no spot is inside this node", options.within);
    }
    return throughCamera(*spots, cameraOf(options), options.headings);
}

Expected<void> addCoverage(Survey& survey, const Scene& scene, const SurveyOptions& options,
                           const std::vector<SurveySpot>& spots, std::unique_ptr<RayScene>& rays,
                           Progress& progress) {
    if (auto built = ensureRays(rays, scene, progress); !built) return built;
    Walker walker;
    walker.eyeHeight = options.eyeHeight;
    auto coverage = coverageOf(scene, *rays, walker, spots, options.spacing, progress);
    if (!coverage) return tl::unexpected(coverage.error());
    survey.setCoverage(std::move(*coverage), scene);
    return {};
}

void warnOfCoverage(const Survey& survey) {
    if (survey.coversEnough()) return;
    const Coverage& coverage = *survey.coverage;
    warn(
        "note: the {} cover {} only: others may be worse, and nothing is concluded from what "
        "they do not see\n",
        counted(survey.doneCount(), "spot"), coverage.text());
    for (const Ground& ground : coverage.grounds)
        if (ground.walked < Coverage::kEnough * ground.area) {
            warn(
                "note: --start {:.1f},{:.1f},{:.1f} walks on {:.0f} square metres that no spot is "
                "near\n",
                ground.eye.x(), ground.eye.y(), ground.eye.z(), ground.area - ground.walked);
            return;
        }
}

Expected<Surveyable> openToSurvey(const std::string& scene, const SurveyOptions& options,
                                  const Common& common, Progress& progress) {
    auto target = targetOf(options);
    if (!target) return tl::unexpected(target.error());
    auto opened = openForVerb(scene, common, progress);
    if (!opened) return tl::unexpected(opened.error());
    Surveyable result{std::move(*target), std::move(*opened), {}, nullptr, {}};
    auto spots = findSpots(result.scene, options, result.target, result.rays, progress);
    if (!spots) return tl::unexpected(spots.error());
    result.spots = std::move(*spots);
    result.settings.headings = options.headings;
    result.settings.onlyInViews = !cameraOf(options).isFree();
    return result;
}

}  // namespace flentro::cli
