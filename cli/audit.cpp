#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/text.h"
#include "findings/trial.h"
#include "io/file.h"
#include "report/survey_report.h"
#include "scene/units.h"
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
    bool all = false;
    bool noSurvey = false;
    bool quick = false;
    std::string csv;
    std::string baseline;
    std::vector<std::string> failOn;
};

constexpr int kFaceSize = 256;  ///< Rays along an edge of the cube.

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

/// "draw calls x3.61 to x0.83": what a finding changes, what is over first.
std::string reliefText(const Finding& finding, const Diagnosis& diagnosis, const Target& target) {
    if (finding.over)
        return finding.fix ? "what takes most off it" : "no fix takes anything off it";
    const std::string changes = formatChanges(diagnosis.changes(finding.relief, target));
    if (changes.empty()) return "takes nothing off the counted views";
    return (finding.isExact ? "" : "at best ") + changes;
}

/// "fix share, then merge", or what else can be done.
std::string cureText(const Finding& finding) {
    if (!finding.withdrawn.empty())
        return fmt::format("fix {} was tried and takes nothing off", finding.withdrawn);
    if (!finding.fix) return finding.rule->advice;
    std::string text = "fix ";
    for (const FixSettings& first : finding.preparations) text += first.kind().key + ", then ";
    return text + finding.fix->kind().key;
}

/// Findings that are not in a baseline, by identity.
void dropKnown(Diagnosis& diagnosis, const std::set<std::string>& known) {
    std::erase_if(diagnosis.findings,
                  [&](const Finding& finding) { return known.contains(finding.identity()); });
}

void print(const Finding& finding, const Diagnosis& diagnosis, const Target& target) {
    const std::string more =
        finding.subjects.size() > 1 ? fmt::format(" and {} more", finding.subjects.size() - 1) : "";
    say("  {:<26} {}{}: {}\n", finding.rule->key, finding.subjects.front().name, more,
        finding.sentence);
    say("  {:<26} {}; {}\n", "", reliefText(finding, diagnosis, target), cureText(finding));
}

/// "12 no-levels, 3 clutter": findings of a range, counted by rule.
std::string countedByRule(const Diagnosis& diagnosis, std::size_t from, std::size_t to) {
    std::map<std::string, std::size_t> rules;
    for (std::size_t i = from; i < to; ++i) ++rules[diagnosis.findings[i].rule->key];
    std::vector<std::string> words;
    for (const auto& [rule, times] : rules) words.push_back(fmt::format("{} {}", times, rule));
    return fmt::format("{}", fmt::join(words, ", "));
}

/// Prints findings that relieve a measure over its limit first, then the others.
void print(const Diagnosis& diagnosis, const Target& target, bool all) {
    constexpr std::size_t kListed = 10;
    const std::size_t count = diagnosis.findings.size();
    const std::size_t over = diagnosis.relieving(target);
    const bool isOver = std::any_of(diagnosis.loads.begin(), diagnosis.loads.end(),
                                    [](double load) { return load > 1; });
    const std::size_t listed = all ? count : std::min(kListed, over > 0 ? over : count);
    say("{}{}\n", counted(count, "finding"),
        count == 0 ? ""
        : over > 0 ? fmt::format(", {} of them about what is over:", over)
        : isOver   ? "; nothing takes anything off what is over:"
                   : "; nothing is over:");
    for (std::size_t i = 0; i < listed; ++i) {
        if (i == over && over > 0) say("  about measures within their limits:\n");
        print(diagnosis.findings[i], diagnosis, target);
    }
    if (listed < over) say("  and {}\n", countedByRule(diagnosis, listed, over));
    const std::size_t rest = std::max(listed, over);
    if (rest < count)
        say("  about measures within their limits (--all lists them): {}\n",
            countedByRule(diagnosis, rest, count));
}

void print(const Audit& audit, const Survey& survey) {
    say("{} on {}, the worst of {} spots ({} over), {}\n\n", audit.scene, audit.target.name,
        survey.doneCount(), spotsOver(survey), survey.coverage->text());
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
    const auto slowest = slowestView(survey);
    if (slowest) {
        const SpotResult& spot = survey.spots[slowest->spot];
        table.push_back({audit.target.calibrated ? "Frame time" : "Frame time (estimate)",
                         fmt::format("{:.1f} ms", slowest->cost.milliseconds()),
                         fmt::format("{:.1f} ms", audit.target.frameTime()),
                         formatLoad(slowest->load), stateWord(stateOf(slowest->load)),
                         fmt::format("{} ({:.1f}, {:.1f}, {:.1f})", spot.name, spot.eye.x(),
                                     spot.eye.y(), spot.eye.z()),
                         fmt::format("{:.0f} deg", spot.views[slowest->view].heading)});
    }
    say("{}\n", formatTable(table));
    if (slowest && slowest->load > 1)
        say("The frame takes longer than it may at {} by {}.\n",
            counted(slowest->spotsOver, "spot"),
            audit.target.calibrated ? "the calibrated model"
                                    : "an estimate that is not calibrated");
    if (audit.within() && !survey.coversEnough())
        say("Within at {}, which cover {}: no verdict on the scene.\n",
            counted(survey.doneCount(), "spot"), survey.coverage->text());
    else
        say("{}\n", audit.within() ? "Within." : "Over.");
}

/// Identities of the findings that an earlier audit wrote.
Expected<std::set<std::string>> readBaseline(const std::string& file) {
    std::set<std::string> known;
    if (file.empty()) return known;
    auto text = readTextFile(file);
    if (!text) return tl::unexpected(text.error());
    auto json = parseJson(*text, file);
    if (!json) return tl::unexpected(json.error());
    if (jsonOr<std::string>(*json, "format", "") != "flentro-audit")
        return fail(ErrorCode::InvalidInput, "is not an audit: 'format' must be 'flentro-audit'",
                    file);
    for (const Json& finding : jsonArray(*json, "findings"))
        known.insert(jsonOr<std::string>(finding, "identity", ""));
    return known;
}

std::string findingsCsv(const Diagnosis& diagnosis, const Target& target) {
    std::string csv = "rule,subject,subjects,sentence,fix";
    for (const Measure measure : kMeasures) csv += fmt::format(",saved {}", measureKey(measure));
    csv += ",reliefOverLimit\n";
    for (const Finding& finding : diagnosis.findings) {
        csv += fmt::format("{},{},{},{},{}", finding.rule->key,
                           csvCell(finding.subjects.front().name), finding.subjects.size(),
                           csvCell(finding.sentence), finding.fix ? finding.fix->kind().key : "");
        for (const Measure measure : kMeasures)
            csv += fmt::format(",{:.0f}", at(finding.relief.worst, measure));
        csv += fmt::format(",{:.4f}\n", diagnosis.reliefOf(finding, target));
    }
    return csv;
}

/// Whether one of the conditions of --fail-on holds: a rule with findings, a measure that is over,
/// "any" finding.
bool failsOn(const std::vector<std::string>& conditions, const Audit& audit,
             const Diagnosis& diagnosis) {
    for (const std::string& condition : conditions) {
        if (condition == "any" && !diagnosis.findings.empty()) return true;
        for (const Finding& finding : diagnosis.findings)
            if (finding.rule->key == condition) return true;
        for (const Measure measure : kMeasures)
            if (condition == measureKey(measure) && at(audit.loads, measure) > 1) return true;
    }
    return false;
}

Expected<void> checkConditions(const std::vector<std::string>& conditions) {
    for (const std::string& condition : conditions) {
        const bool isMeasure = std::any_of(kMeasures.begin(), kMeasures.end(),
                                           [&](Measure m) { return condition == measureKey(m); });
        if (condition != "any" && !isMeasure && !findRule(condition))
            return fail(ErrorCode::InvalidInput,
                        fmt::format("--fail-on: '{}' is no rule and no measure", condition), {},
                        "'flentro-cli findings' lists the rules");
    }
    return {};
}

/// Prints what was found, writes the files, and judges.
int finish(const Audit& audit, Json json, Diagnosis diagnosis, const Options& options,
           const Common& common) {
    const auto known = readBaseline(options.baseline);
    if (!known) return complain(known.error());
    dropKnown(diagnosis, *known);
    if (!common.quiet && common.json != "-") print(diagnosis, audit.target, options.all);
    json["findings"] = toJson(diagnosis, audit.target);
    if (!common.json.empty())
        if (auto written = writeJson(json, common.json); !written) return complain(written.error());
    if (!options.csv.empty())
        if (auto written = writeFileAtomic(options.csv, findingsCsv(diagnosis, audit.target));
            !written)
            return complain(written.error());
    const bool over =
        options.failOn.empty() ? !audit.within() : failsOn(options.failOn, audit, diagnosis);
    return over ? kOver : kWithin;
}

/// Findings, with what their fixes take off unless that is not wanted.
Expected<Diagnosis> examine(const Scene& scene, const Target& target, const Survey* survey,
                            const std::optional<Viewpoint>& view, const Options& options,
                            Progress& progress) {
    Memo memo;
    auto diagnosis = diagnose(scene, target, survey, view, memo, progress);
    if (!diagnosis || options.quick) return diagnosis;
    if (auto tried = tryFixes(*diagnosis, scene, target, survey, view, progress); !tried)
        return tl::unexpected(tried.error());
    return diagnosis;
}

int auditView(const Scene& scene, const Target& target, const std::optional<Viewpoint>& view,
              const Options& options, const Common& common, Progress& progress) {
    const Audit audit = makeAudit(scene, target, view);
    auto diagnosis = examine(scene, target, nullptr, view, options, progress);
    if (!diagnosis) return complain(diagnosis.error());
    if (!common.quiet && common.json != "-") print(audit);
    return finish(audit, toJson(audit), std::move(*diagnosis), options, common);
}

/// Every measure at the spot and heading where it is worst.
int auditSurvey(const Scene& scene, const Target& target, const std::vector<SurveySpot>& spots,
                std::unique_ptr<RayScene> rays, const Options& options, const Common& common,
                Progress& progress) {
    SurveySettings settings;
    settings.faceSize = options.noSurvey ? 0 : kFaceSize;
    settings.keepSightings = !options.noSurvey;
    settings.headings = options.headings;
    if (!options.noSurvey)
        if (auto built = ensureRays(rays, scene, progress); !built) return complain(built.error());
    Survey survey = takeSurvey(scene, options.noSurvey ? nullptr : rays.get(), target, spots,
                               settings, progress);
    if (!survey.complete) return complain(stopped("The audit").value());
    if (survey.hasRays()) {
        auto lights = measureLights(scene, scene, *rays, survey, progress);
        if (!lights) return complain(lights.error());
        survey.lights = std::move(*lights);
    }
    if (auto added = addCoverage(survey, scene, options, spots, rays, progress); !added)
        return complain(added.error());
    warnOfCoverage(survey);
    auto diagnosis = examine(scene, target, &survey, std::nullopt, options, progress);
    if (!diagnosis) return complain(diagnosis.error());
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
                         {"heading", entry.view.heading}});
    Json json = toJson(audit);
    json["spots"] = survey.doneCount();
    json["spotsOver"] = spotsOver(survey);
    json["coverage"] = toJson(*survey.coverage);
    if (const auto slowest = slowestView(survey)) json["frame"] = frameJson(survey, *slowest);
    json["worst"] = worst;
    if (!common.quiet && common.json != "-") print(audit, survey);
    return finish(audit, std::move(json), std::move(*diagnosis), options, common);
}

int runAudit(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    if (auto sound = checkConditions(options.failOn); !sound) return complain(sound.error());
    auto target = targetOf(options);
    if (!target) return complain(target.error());
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    if (!common.quiet && common.json != "-")
        say("{}{}\n", describeReading(*scene),
            isReadingUnclear(scene->sourceUnits) ? " If that is wrong: --unit, --up." : "");
    if (options.eye.size() == 3)
        return auditView(
            *scene, *target,
            Viewpoint{
                {options.eye[0], options.eye[1], options.eye[2]}, options.heading, options.pitch},
            options, common, progress);
    if (options.everything)
        return auditView(*scene, *target, std::nullopt, options, common, progress);
    std::unique_ptr<RayScene> rays;
    auto spots = findSpots(*scene, options, *target, rays, progress);
    if (!spots) return complain(spots.error());
    return auditSurvey(*scene, *target, *spots, std::move(rays), options, common, progress);
}

}  // namespace

void addAudit(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb = addVerb(program, common, "audit",
                             "Hold the worst view that a player can reach, or one view, against a "
                             "target; exit status 0: within, 1: over, 2: bad input",
                             "  flentro-cli audit market.glb --target \"Kiosk 60\"\n"
                             "  flentro-cli audit market.glb --eye -9,1.7,-10.8 --heading 72\n"
                             "  flentro-cli audit market.glb --target ours.target.json --quiet "
                             "|| echo over\n"
                             "  flentro-cli audit market.glb --json now.json --baseline last.json "
                             "--fail-on any\n");
    addScene(verb, common, options->scene);
    addSurveyOptions(verb, common, *options);
    verb.flag("--all", options->all, "List every finding, not the ten that take most off");
    verb.flag("--no-survey", options->noSurvey,
              "Cast no rays: faster, without findings about what is seen");
    verb.flag("--quick", options->quick,
              "Do not try the fixes: what findings take off is then an upper bound");
    verb.option("--csv", options->csv, "One line for each finding").as("FILE");
    common.files.writes("--csv", options->csv);
    verb.option("--baseline", options->baseline,
                "The JSON of an earlier audit: only findings that are new are told")
        .as("FILE");
    common.files.reads("--baseline", options->baseline);
    verb.option("--fail-on", options->failOn,
                "Rules, measures or 'any': exit status 1 for these findings or loads alone")
        .list()
        .as("RULE|MEASURE|any");
    verb.flag("--everything", options->everything,
              "Count the whole scene at once instead of views");
    verb.option("--eye", options->eye, "Where to stand, metres").list(3).finite().as("X,Y,Z");
    verb.option("--heading", options->heading, "Degrees clockwise from north (-Z)").finite();
    verb.option("--pitch", options->pitch, "Degrees upward").between(-89, 89);
    runs(verb, common, [=, &common] { return runAudit(*options, common); });
}

}  // namespace flentro::cli
