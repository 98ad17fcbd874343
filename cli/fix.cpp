#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>

#include "base/text.h"
#include "io/file.h"
#include "project/order_file.h"
#include "report/export.h"
#include "report/picture_change.h"
#include "report/proof.h"
#include "report/survey_report.h"
#include "survey_options.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

constexpr int kFaceSize = 256;  ///< Rays along an edge of the cube: enough to rank what is seen.

struct Options : SurveyOptions {
    std::string scene;
    std::string order;
    std::string out;
    std::string levels = "extension";
    bool survey = false;
    bool dropEmptyNodes = false;
    bool ktx2 = false;
    std::size_t pictures = 0;  ///< Views that each step is compared in.
    std::string pictureFolder;
};

/// What the scene is fixed by.
struct Opened {
    Target target;
    std::shared_ptr<const Scene> scene;
    Evidence evidence;
    std::optional<Coverage> coverage = {};
    /// Places twice as close together as the surveyed ones, to be counted in the end; none where
    /// spots were given.
    std::vector<Evidence::Place> between = {};
};

Expected<Opened> openScene(const Options& options, const Common& common, Progress& progress) {
    if (!options.survey) {
        auto target = targetOf(options);
        if (!target) return tl::unexpected(target.error());
        auto scene = openForVerb(options.scene, common, progress);
        if (!scene) return tl::unexpected(scene.error());
        return Opened{*target, std::make_shared<const Scene>(std::move(*scene)), {}, {}, {}};
    }
    auto opened = openToSurvey(options.scene, options, common, progress);
    if (!opened) return tl::unexpected(opened.error());
    opened->settings.faceSize = kFaceSize;
    opened->settings.aimAtTriangles = false;
    if (auto built = ensureRays(opened->rays, opened->scene, progress); !built)
        return tl::unexpected(built.error());
    Survey survey = takeSurvey(opened->scene, opened->rays.get(), opened->target, opened->spots,
                               opened->settings, progress);
    if (!survey.complete) return stopped("The survey");
    auto lights = measureLights(opened->scene, opened->scene, *opened->rays, survey, progress);
    if (!lights) return tl::unexpected(lights.error());
    survey.lights = std::move(*lights);
    if (auto added =
            addCoverage(survey, opened->scene, options, opened->spots, opened->rays, progress);
        !added)
        return tl::unexpected(added.error());
    warnOfCoverage(survey);
    Opened result{opened->target, nullptr, evidenceOf(survey, opened->scene), survey.coverage, {}};
    if (options.spots.empty()) {
        SurveyOptions closer = options;
        closer.spacing = options.spacing / 2;
        auto spots = findSpots(opened->scene, closer, result.target, opened->rays, progress);
        if (!spots) return tl::unexpected(spots.error());
        // Spots around a thing that stands alone are no more for a smaller spacing.
        if (spots->size() > survey.spots.size())
            result.between = placesAt(*spots, options.headings);
    }
    result.scene = std::make_shared<const Scene>(std::move(opened->scene));
    return result;
}

/// Tidy, ladder, culling distances and instances as they are proposed for the scene.
WorkOrder defaultOrder(const Scene& scene) {
    WorkOrder order;
    for (const char* key : {"tidy", "ladder", "culling", "instances"})
        order.add(proposeSettings(*findFixKind(key), scene));
    return order;
}

LevelLayout layoutOf(const std::string& name) {
    if (name == "nodes") return LevelLayout::NamedNodes;
    return name == "top" ? LevelLayout::TopOnly : LevelLayout::LodExtension;
}

/// A number of an account, by the name that it has in JSON.
struct TotalsRow {
    const char* name;
    double SceneTotals::*value;
    bool bytes;
};
constexpr TotalsRow kTotals[] = {
    {"objects", &SceneTotals::objects, false},      {"triangles", &SceneTotals::triangles, false},
    {"calls", &SceneTotals::calls, false},          {"meshes", &SceneTotals::meshBytes, true},
    {"textures", &SceneTotals::textureBytes, true}, {"disk", &SceneTotals::diskBytes, true}};

/// What both sides of an account differ in, as one line.
class Differences {
public:
    void add(const std::string& name, double before, double after, std::string (*text)(double)) {
        if (before == after) return;
        line_ += fmt::format("{}{} {} -> {}", line_.empty() ? "" : ", ", name, text(before),
                             text(after));
    }
    void print(const char* head) const {
        if (!line_.empty()) say("  {}{}\n", head, line_);
    }

private:
    std::string line_;
};

std::string secondsText(double seconds) {
    return fmt::format("{:.2f} s", seconds);
}
std::string countText(double count) {
    return formatCount(count);
}

constexpr Measure kWorst[] = {Measure::Triangles, Measure::DrawCalls, Measure::Objects};

/// Both sides of the account, where they differ.
void print(const Step& step) {
    const FixRecord& record = step.result->record;
    Differences total;
    for (const TotalsRow& row : kTotals)
        total.add(row.name, record.before.*row.value, record.after.*row.value,
                  row.bytes ? &formatBytes : &countText);
    total.add("load time (estimate)", record.before.loadSeconds, record.after.loadSeconds,
              &secondsText);
    total.print("");
    Differences worst;
    for (const Measure measure : kWorst)
        if (step.worstBefore && step.worstAfter)
            worst.add(measureName(measure), at(*step.worstBefore, measure),
                      at(*step.worstAfter, measure), &countText);
    worst.print("worst view: ");
}

/// "at -9.0,1.7,-10.8 heading 72".
std::string describe(const Viewpoint& view) {
    return fmt::format("at {:.1f},{:.1f},{:.1f} heading {:.0f}{}", view.eye.x(), view.eye.y(),
                       view.eye.z(), view.heading,
                       view.pitch == 0 ? "" : fmt::format(" pitch {:.0f}", view.pitch));
}

/// What the worst spot says, before or after.
std::string describe(const WorstLoad& worst) {
    return fmt::format("x{:.2f} {} {}", worst.load, measureName(worst.measure),
                       describe(worst.view));
}

void print(const Proof& proof, const Target& target) {
    say("{}: {} of {} spots over before, {} after\n", target.name, proof.overBefore,
        proof.spots.size(), proof.overAfter);
    say("  worst before: {}\n", describe(proof.spots[proof.worstBefore].before));
    say("  worst after:  {}\n", describe(proof.spots[proof.worstAfter].after));
    for (const MeasureProof& measure : proof.measures) {
        if (measure.before.load <= 0) continue;
        const Measure kind = measure.before.measure;
        say("  {:<22}{:>8} -> {:<8}{:>10} of {:<10}{}{}\n", measureName(kind),
            formatLoad(measure.before.load), formatLoad(measure.after.load),
            formatMeasure(kind, measure.after.value), formatMeasure(kind, at(target.limits, kind)),
            describe(measure.after.view),
            measure.overAfter > 0 ? ", " + counted(measure.overAfter, "spot") + " over" : "");
    }
    const FrameProof& frame = proof.frame;
    say("  {:<22}{:>8} -> {:<8}{:>7.1f} ms of {:<7.1f}{}{}\n",
        target.calibrated ? "Frame time" : "Frame time (estimate)", formatLoad(frame.before.load),
        formatLoad(frame.after.load), frame.after.cost.milliseconds(), target.frameTime(),
        describe(frame.after.view),
        frame.overAfter > 0 ? ", " + counted(frame.overAfter, "spot") + " over" : "");
}

/// Prints the measures that are higher between the spots than at them.
void printBetween(const Proof& between, const Proof& proof, double spacing, int headings) {
    say("Between the spots ({}, every {:.2g} m, {} headings, nothing seen): {} over after\n",
        counted(between.spots.size(), "place"), spacing, headings, between.overAfter);
    for (std::size_t m = 0; m < kMeasureCount; ++m) {
        const WorstLoad& there = between.measures[m].after;
        if (there.value > proof.measures[m].after.value && there.load > 0)
            say("  {:<22}{} instead of {} {}\n", measureName(there.measure), formatLoad(there.load),
                formatLoad(proof.measures[m].after.load), describe(there.view));
    }
}

void print(const PictureChange& change) {
    say("  pictures: FLIP {:.4f} in the mean, {:.4f} in the worst view ({}), {:.4f} in its worst "
        "region; structural similarity {:.4f}, least {:.4f}; {}, those of {} that change most\n",
        change.meanFlip, change.worstFlip, describe(change.worst), change.worstRegion,
        change.meanSimilarity, change.leastSimilarity, counted(change.views, "view"),
        change.candidates);
}

void print(const WorkOrder& order, const Evaluation& evaluation,
           const std::vector<PictureChange>& pictures, const Target& target,
           const Exported& exported, const std::string& out) {
    for (std::size_t i = 0; i < evaluation.steps.size(); ++i) {
        const Step& step = evaluation.steps[i];
        say("{}: {}\n", order.find(step.fix)->settings.kind().name, step.result->record.summary);
        for (const std::string& note : step.result->record.notes) say("  {}\n", note);
        print(step);
        if (i < pictures.size()) print(pictures[i]);
        if (const auto lost = step.lossOn(target); !lost.empty()) {
            std::vector<std::string> names;
            for (const Measure measure : lost) names.emplace_back(measureName(measure));
            say("  a loss at the worst views: {}; leave it out\n", fmt::join(names, ", "));
        }
    }
    say("{}: {}\n", out, formatBytes(static_cast<double>(exported.bytes)));
    if (!exported.manifest.empty()) say("{}\n", exported.manifest.string());
    std::size_t stored = 0;
    std::size_t over = 0;
    for (const StoredTexture& texture : exported.textures) {
        stored += texture.memory;
        over += !texture.isWithin;
    }
    if (!exported.textures.empty())
        say("{} stored: {} of texture memory, {} with more loss than asked for\n",
            counted(exported.textures.size(), "texture"), formatBytes(static_cast<double>(stored)),
            over);
}

Json toJson(const SceneTotals& totals) {
    Json json;
    for (const TotalsRow& row : kTotals) json[row.name] = totals.*row.value;
    return json;
}

Json describe(const Fix& fix, const Step& step, const Scene& source) {
    const FixRecord& record = step.result->record;
    Json json = {{"fix", fix.settings.kind().key},
                 {"summary", record.summary},
                 {"notes", record.notes},
                 {"before", toJson(record.before)},
                 {"after", toJson(record.after)}};
    json["before"]["loadSeconds"] = record.before.loadSeconds;
    json["after"]["loadSeconds"] = record.after.loadSeconds;
    for (const Measure measure : kWorst)
        if (step.worstBefore && step.worstAfter)
            json["worstView"][measureKey(measure)] = {at(*step.worstBefore, measure),
                                                      at(*step.worstAfter, measure)};
    if (record.report) json.update(record.report->describe(source));
    return json;
}

Json describe(const PictureChange& change) {
    const Vec3d& eye = change.worst.eye;
    Json json = {{"views", change.views},
                 {"candidates", change.candidates},
                 {"meanFlip", change.meanFlip},
                 {"worstFlip", change.worstFlip},
                 {"worstRegion", change.worstRegion},
                 {"meanSimilarity", change.meanSimilarity},
                 {"leastSimilarity", change.leastSimilarity},
                 {"eye", {eye.x(), eye.y(), eye.z()}},
                 {"heading", change.worst.heading}};
    for (const auto& path : change.pictures) json["files"].push_back(path.string());
    return json;
}

Json report(const WorkOrder& order, const Evaluation& evaluation,
            const std::vector<PictureChange>& pictures, const Exported& exported) {
    Json json = {{"format", "flentro-fix-result"},
                 {"version", 1},
                 {"bytes", exported.bytes},
                 {"steps", Json::array()}};
    for (std::size_t i = 0; i < evaluation.steps.size(); ++i) {
        const Step& step = evaluation.steps[i];
        Json row = describe(*order.find(step.fix), step, *evaluation.source);
        if (i < pictures.size()) row["pictures"] = describe(pictures[i]);
        json["steps"].push_back(std::move(row));
    }
    return json;
}

/// Where pictures go, before any work.
Expected<void> prepareFolder(const std::string& folder) {
    if (folder.empty()) return {};
    if (auto made = makeFolder(folder); !made) return made;
    return checkWritable(folder + "/step-1-before.png");
}

int runFix(const Options& given, const Common& chosen) {
    TerminalProgress progress(chosen.quiet);
    Options options = given;
    Common common = chosen;
    if (!options.order.empty() && isProjectFile(options.order)) {
        auto project = loadProject(options.order);
        if (!project) return complain(project.error());
        adoptProject(std::make_shared<const Project>(std::move(*project)), options, common);
    }
    auto order = options.order.empty() ? WorkOrder{} : loadWorkOrder(options.order);
    if (!order) return complain(order.error());
    if (auto writable = prepareFolder(options.pictureFolder); !writable)
        return complain(writable.error());
    auto opened = openScene(options, common, progress);
    if (!opened) return complain(opened.error());
    if (options.order.empty()) order = defaultOrder(*opened->scene);
    if (auto sound = checkExport(*opened->scene, options.out); !sound)
        return complain(sound.error());
    StepCache cache;
    auto evaluation =
        evaluate(*order, opened->scene, opened->target, cache, progress, opened->evidence);
    if (!evaluation) return complain(evaluation.error());
    if (const auto unknown = unknownNames(*order, *evaluation); !unknown.empty())
        return complain({ErrorCode::InvalidInput,
                         fmt::format("no asset has the name in {}", fmt::join(unknown, "; ")),
                         options.order, "'flentro-cli inventory' lists them"});
    ExportOptions writing;
    writing.levels = layoutOf(options.levels);
    writing.dropEmptyNodes = options.dropEmptyNodes;
    writing.ktx2 = options.ktx2;
    auto exported =
        exportScene(evaluation->result(), opened->target, options.out, writing, progress);
    if (!exported) return complain(exported.error());
    if (!common.quiet)
        for (const Note& note : exported->notes) warn("note: {}: {}\n", note.where, note.what);
    PictureChangeSettings drawing;
    drawing.views = options.pictures;
    drawing.folder = options.pictureFolder;
    const auto pictures =
        pictureChanges(*evaluation, opened->target, opened->evidence, drawing, progress);
    if (!pictures) return complain(pictures.error());
    std::optional<Proof> proof;
    std::optional<Proof> between;
    if (!opened->evidence.empty())
        proof =
            prove(*opened->scene, evaluation->result(), opened->target, opened->evidence.places);
    if (!opened->between.empty())
        between = prove(*opened->scene, evaluation->result(), opened->target, opened->between,
                        spacingBetween(options.spacing));
    std::optional<LightingChange> lightChange;
    if (opened->evidence.lights)
        lightChange =
            lightingChange(*opened->evidence.lights, *opened->scene, evaluation->result());
    if (!common.quiet && common.json != "-") {
        print(*order, *evaluation, *pictures, opened->target, *exported, options.out);
        if (proof) print(*proof, opened->target);
        if (proof) say("Draw calls: {}.\n", batchingHelp(opened->target.batching));
        if (between)
            printBetween(*between, *proof, spacingBetween(options.spacing), options.headings);
        if (const double stay = largestHysteresis(evaluation->result()); proof && stay > 0)
            say("Levels stay by up to {} of their distance for an eye that comes nearer, which is "
                "not counted: copies at two levels take calls of their own.\n",
                formatShare(stay));
        if (lightChange)
            say("The light of views changes by {} in the mean, {} at worst {}.\n",
                formatShare(lightChange->mean), formatShare(lightChange->worst),
                describe(opened->evidence.places[lightChange->place].views[lightChange->view]));
        if (opened->coverage) say("The spots cover {}.\n", opened->coverage->text());
    }
    const bool isOver = (proof && proof->overAfter > 0) || (between && between->overAfter > 0);
    const ExitStatus status = isOver ? kOver : kWithin;
    if (common.json.empty()) return status;
    Json json = report(*order, *evaluation, *pictures, *exported);
    if (proof) json["proof"] = toJson(*proof, opened->target);
    if (between) {
        json["proof"]["between"] = toJson(*between, opened->target);
        json["proof"]["between"]["spacing"] = spacingBetween(options.spacing);
        json["proof"]["between"]["headings"] = options.headings;
    }
    if (lightChange)
        json["proof"]["lightChange"] = {{"mean", lightChange->mean}, {"worst", lightChange->worst}};
    if (opened->coverage) json["proof"]["coverage"] = toJson(*opened->coverage);
    auto written = writeJson(json, common.json);
    return written ? status : complain(written.error());
}

}  // namespace

void addFix(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb =
        addVerb(program, common, "fix",
                "Apply a work order and export the result; exit status 0: done, 1: surveyed views "
                "are still over, 2: bad input, 3: stopped",
                "  flentro-cli fix market.glb --out lighter.glb\n"
                "  flentro-cli fix market.glb --order order.json --target \"Slate 60\" "
                "--out lighter.glb --levels nodes\n"
                "  flentro-cli fix market.glb --order merge.json --survey --out lighter.glb\n"
                "  flentro-cli fix market.glb --order market.flentro.json --out lighter.glb\n");
    addScene(verb, common, options->scene);
    verb.option("--out", options->out, "The .glb or .gltf to write").required();
    common.files.writes("--out", options->out, exportedFiles);
    verb.option("--order", options->order,
                "A work order or a project (JSON); without one: tidy, ladder, culling "
                "distances and instances; 'flentro-cli fixes' lists all fixes");
    common.files.reads("--order", options->order);
    verb.flag("--survey", options->survey,
              "Survey first, so that culling and merging go by what players see");
    addSurveyOptions(verb, common, *options);
    verb.option("--pictures", options->pictures,
                "With --survey: compare so many views before and after each step, drawn by "
                "rays (FLIP error, structural similarity)")
        .between(0, 1000);
    verb.option("--picture-folder", options->pictureFolder,
                "Put the worst view of each step there, before and after");
    common.files.fills("--picture-folder", options->pictureFolder, "step-");
    verb.option("--levels", options->levels,
                "extension: MSFT_lod; nodes: a named node each; top: level 0 alone")
        .oneOf({"extension", "nodes", "top"});
    verb.flag("--drop-empty-nodes", options->dropEmptyNodes,
              "Leave out nodes that hold nothing and move nothing");
    verb.flag("--ktx2", options->ktx2,
              "Put textures beside the scene as the target stores them: KTX 2.0 files in "
              "NAME.textures, listed in the manifest");
    runs(verb, common, [=, &common] { return runFix(*options, common); });
}

}  // namespace flentro::cli
