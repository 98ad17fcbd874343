#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/text.h"
#include "findings/ranking.h"
#include "report/survey_report.h"
#include "survey_options.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options : SurveyOptions {
    std::string scene;
    std::vector<double> eye;
    double heading = 0;
    double pitch = 0;
    bool everything = false;
};

const char* stateWord(State state) {
    return state == State::Over ? "over" : state == State::Near ? "near" : "within";
}

void print(const Audit& audit) {
    std::vector<std::vector<std::string>> table = {{"measure", "value", "limit", "load", ""}};
    for (const Measure measure : kMeasures) {
        const double limit = at(audit.target.limits, measure);
        const bool limited = isLimit(limit);
        const double load = at(audit.loads, measure);
        table.push_back({measureName(measure), formatMeasure(measure, at(audit.counts, measure)),
                         limited ? formatMeasure(measure, limit) : "none",
                         limited ? formatLoad(load) : "-",
                         limited ? stateWord(stateOf(load)) : ""});
    }
    if (audit.view)
        say("{} on {}, from ({:.1f}, {:.1f}, {:.1f}) heading {:.0f} degrees\n\n", audit.scene,
            audit.target.name, audit.view->eye.x(), audit.view->eye.y(), audit.view->eye.z(),
            audit.view->heading);
    else
        say("{} on {}, everything at once\n\n", audit.scene, audit.target.name);
    say("{}\n{}\n", formatTable(table), audit.within() ? "Within." : "Over.");
}

int finish(const Audit& audit, Json json, const Common& common) {
    if (!common.json.empty())
        if (auto written = writeJson(json, common.json); !written) return complain(written.error());
    return audit.within() ? kWithin : kOver;
}

int auditView(const Scene& scene, const Target& target, const std::optional<Viewpoint>& view,
              const Common& common) {
    const Audit audit = makeAudit(scene, target, view);
    if (!common.quiet && common.json != "-") print(audit);
    return finish(audit, toJson(audit), common);
}

/// "a, b, c and 19 more"
std::string listed(const std::vector<std::string>& names) {
    constexpr std::size_t kNamed = 3;
    const std::vector<std::string> first(
        names.begin(), names.begin() + static_cast<std::ptrdiff_t>(std::min(kNamed, names.size())));
    return fmt::format(
        "{}{}", fmt::join(first, ", "),
        names.size() > kNamed ? fmt::format(" and {} more", names.size() - kNamed) : "");
}

/// What one measure of a view is to be blamed on, heaviest first.
std::vector<std::string> blamed(const Scene& scene, const Target& target, const Viewpoint& view,
                                Measure measure) {
    const ViewCost cost = viewCost(scene, target, view);
    std::vector<std::pair<double, std::string>> costs;
    if (measure == Measure::Lights || measure == Measure::ShadowLights) {
        for (const auto& [light, triangles, calls] : cost.lights)
            if (measure == Measure::Lights || scene.placedLights[light].castsShadow)
                costs.emplace_back(triangles, scene.placedLights[light].name);
    } else {
        for (const CostShare& blame : rank(scene, target, cost, CostKind::Asset, Measure::Triangles)) {
            const Mesh& mesh = *scene.assets[blame.index].mesh;
            const double value = measure == Measure::DrawCalls ? blame.drawCalls
                                 : measure == Measure::Objects ? static_cast<double>(blame.copies)
                                 : measure == Measure::VerticesPerMesh ? blame.vertices
                                 : measure == Measure::MaterialsPerObject
                                     ? static_cast<double>(mesh.parts.size())
                                 : measure == Measure::Triangles ? blame.triangles
                                                                 : blame.textureBytes;
            costs.emplace_back(value, blame.name);
        }
    }
    std::stable_sort(costs.begin(), costs.end(),
                     [](const auto& a, const auto& b) { return a.first > b.first; });
    std::vector<std::string> names;
    for (auto& [value, name] : costs) names.push_back(std::move(name));
    return names;
}

void print(const Audit& audit, const Survey& survey, const Json& worst) {
    say("{} on {}, the worst of {} spots ({} over)\n\n", audit.scene, audit.target.name,
        survey.doneCount(), spotsOver(survey));
    std::vector<std::vector<std::string>> table = {
        {"measure", "worst", "limit", "load", "", "spot", "heading"}};
    for (const WorstOfMeasure& entry : worstViews(survey))
        table.push_back({measureName(entry.measure),
                         formatMeasure(entry.measure, entry.where.value),
                         formatMeasure(entry.measure, at(audit.target.limits, entry.measure)),
                         formatLoad(entry.where.load), stateWord(stateOf(entry.where.load)),
                         fmt::format("{} ({:.1f}, {:.1f}, {:.1f})", entry.spot, entry.view.eye.x(),
                                     entry.view.eye.y(), entry.view.eye.z()),
                         fmt::format("{:.0f} deg", entry.view.heading)});
    say("{}\n", formatTable(table));
    for (const Json& entry : worst)
        if (entry["load"].get<double>() > 1)
            say("{}: {}\n", entry["name"].get<std::string>(),
                listed(entry["blame"].get<std::vector<std::string>>()));
    say("{}\n", audit.within() ? "Within." : "Over.");
}

/// Every measure at the spot and heading where it is worst.
int auditSurvey(const Scene& scene, const Target& target, const std::vector<SurveySpot>& spots,
                const SurveyOptions& options, const Common& common, Progress& progress) {
    SurveySettings settings;
    settings.faceSize = 0;
    settings.keepSightings = false;
    settings.headings = options.headings;
    const Survey survey = takeSurvey(scene, nullptr, target, spots, settings, progress);
    if (!survey.complete) return complain({ErrorCode::Cancelled, "The audit was stopped", "", ""});
    Audit audit;
    audit.scene = scene.name;
    audit.target = target;
    Json worst = Json::array();
    for (const Measure measure : kMeasures)
        if (const auto found = worstOf(survey, measure)) at(audit.counts, measure) = found->value;
    audit.loads = loads(audit.counts, target);
    for (const WorstOfMeasure& entry : worstViews(survey))
        worst.push_back({{"measure", measureKey(entry.measure)},
                         {"name", measureName(entry.measure)},
                         {"load", entry.where.load},
                         {"spot", entry.spot},
                         {"eye", {entry.view.eye.x(), entry.view.eye.y(), entry.view.eye.z()}},
                         {"heading", entry.view.heading},
                         {"blame", blamed(scene, target, entry.view, entry.measure)}});
    Json json = toJson(audit);
    json["spots"] = survey.doneCount();
    json["spotsOver"] = spotsOver(survey);
    json["worst"] = worst;
    if (!common.quiet && common.json != "-") print(audit, survey, worst);
    return finish(audit, std::move(json), common);
}

int runAudit(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    auto target = findTarget(options.target);
    if (!target) return complain(target.error());
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    if (options.eye.size() == 3)
        return auditView(
            *scene, *target,
            Viewpoint{
                {options.eye[0], options.eye[1], options.eye[2]}, options.heading, options.pitch},
            common);
    if (options.everything) return auditView(*scene, *target, std::nullopt, common);
    std::unique_ptr<RayScene> rays;
    auto spots = findSpots(*scene, options, *target, rays, progress);
    if (!spots) return complain(spots.error());
    return auditSurvey(*scene, *target, *spots, options, common, progress);
}

}  // namespace

void addAudit(CLI::App& app, Common& common, Run& run) {
    auto options = std::make_shared<Options>();
    CLI::App* verb = addVerb(app, common, "audit",
                             "Hold the worst view that a player can reach, or one view, against a "
                             "target; exit status 0: within, 1: over, 2: bad input",
                             "  flentro-cli audit market.glb --target \"Kiosk 60\"\n"
                             "  flentro-cli audit market.glb --eye -9,1.7,-10.8 --heading 72\n"
                             "  flentro-cli audit market.glb --target ours.target.json --quiet "
                             "|| echo over\n");
    verb->add_option("scene", options->scene, "The scene")->required();
    addImportOptions(*verb, common);
    addSurveyOptions(*verb, *options);
    verb->add_flag("--everything", options->everything,
                   "Count the whole scene at once instead of views");
    verb->add_option("--eye", options->eye, "Where to stand, metres")
        ->delimiter(',')
        ->expected(3)
        ->check(finite())
        ->type_name("X,Y,Z");
    verb->add_option("--heading", options->heading, "Degrees clockwise from north (-Z)")
        ->check(finite());
    verb->add_option("--pitch", options->pitch, "Degrees upward")->check(between(-89, 89));
    verb->callback(
        [=, &common, &run] { run = [=, &common] { return runAudit(*options, common); }; });
}

}  // namespace flentro::cli
