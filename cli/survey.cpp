#include <fmt/format.h>

#include "base/text.h"
#include "io/file.h"
#include "report/survey_report.h"
#include "survey_options.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options : SurveyOptions {
    std::string scene;
    std::string csv;
    int faceSize = 384;
    bool drawnOnly = false;
};

void printWorst(const Survey& survey) {
    std::vector<std::vector<std::string>> table = {
        {"measure", "worst", "load", "median", "spot", "position", "heading"}};
    for (const WorstOfMeasure& worst : worstViews(survey))
        table.push_back({measureName(worst.measure),
                         formatMeasure(worst.measure, worst.where.value),
                         formatLoad(worst.where.load),
                         formatMeasure(worst.measure, medianOf(survey, worst.measure)), worst.spot,
                         fmt::format("({:.1f}, {:.1f}, {:.1f})", worst.view.eye.x(),
                                     worst.view.eye.y(), worst.view.eye.z()),
                         fmt::format("{:.0f} deg", worst.view.heading)});
    say("{}\n", formatTable(table));
}

void printFrame(const Survey& survey) {
    const auto slowest = slowestView(survey);
    if (!slowest) return;
    const SpotResult& spot = survey.spots[slowest->spot];
    say("Slowest view: about {:.1f} ms of {:.1f} ms ({}) at spot {}, heading {:.0f} deg; limited "
        "by the {} ({}). {} over in frame time. {}\n",
        slowest->cost.milliseconds(), survey.target.frameTime(), formatLoad(slowest->load),
        spot.name, spot.views[slowest->view].heading, slowest->cost.limitedBy(),
        costTermName(heaviestTerm(slowest->terms, survey.target)),
        counted(slowest->spotsOver, "spot"),
        survey.target.calibrated ? "Calibrated." : "An estimate: not calibrated.");
}

void printSeen(const Scene& scene, const Survey& survey) {
    constexpr std::size_t kListed = 8;
    std::vector<std::vector<std::string>> table = {{"drawn in vain", "views", "triangles a view"}};
    for (const ObjectWaste& waste : rankWaste(scene, survey)) {
        if (table.size() > kListed) break;
        table.push_back({scene.objects[waste.object].name, std::to_string(waste.views),
                         formatCount(waste.triangles)});
    }
    const NeverSeen unseen = findUnseen(scene, survey);
    say("\n{}\nNever seen from these spots: {} of {} objects; {} triangles of the others, "
        "of which {} touch no seen one.\n",
        formatTable(table), unseen.objects.size(), scene.objects.size(),
        formatCount(static_cast<double>(unseen.triangles)),
        formatCount(static_cast<double>(unseen.removable)));
    say("One more spot would reveal about {:.1f} objects, all further ones about {:.0f}; "
        "with 95 % confidence each unseen object is seen from less than {} of places like "
        "these.\n",
        unseen.expectedNext, unseen.expectedLeft, formatShare(unseen.shareBound));
    const std::vector<TextureNeed> textures = findTextureNeeds(scene, survey);
    if (!textures.empty()) {
        double saved = 0;
        for (const TextureNeed& need : textures) saved += need.bytes;
        const Image& first = scene.images[textures.front().image];
        say("{} larger than any of these views needs, {} in all; most of all {}: {} x {} where {} "
            "would serve.\n",
            counted(textures.size(), "image is", "images are"), formatBytes(saved), first.name,
            first.width, first.height, textures.front().edge);
    }
    for (const FarPlaneLoss& loss : farPlaneLosses(survey)) {
        if (loss.worstShare > 0.001) continue;
        if (loss.distance >= survey.target.farPlane) break;
        say("A far plane at {} instead of {} loses {} objects and at most {} of the pixels "
            "of any spot.\n",
            formatMetres(loss.distance), formatMetres(survey.target.farPlane), loss.objects,
            formatShare(loss.worstShare));
        break;
    }
}

int runSurvey(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    auto opened = openToSurvey(options.scene, options, common, progress);
    if (!opened) return complain(opened.error());
    const Scene& scene = opened->scene;
    opened->settings.faceSize = options.drawnOnly ? 0 : options.faceSize / 16 * 16;
    if (!options.drawnOnly)
        if (auto built = ensureRays(opened->rays, scene, progress); !built)
            return complain(built.error());
    Survey survey = takeSurvey(scene, options.drawnOnly ? nullptr : opened->rays.get(),
                               opened->target, opened->spots, opened->settings, progress);
    if (survey.doneCount() == 0)
        return complain(
            {ErrorCode::Cancelled, "The survey was stopped before its first spot", "", ""});
    if (!survey.complete)
        warn("The survey was stopped: {} of {} are done, the others are not counted.\n",
             survey.doneCount(), counted(opened->spots.size(), "spot"));
    if (survey.complete)
        if (auto added = addCoverage(survey, scene, options, opened->spots, opened->rays, progress);
            !added)
            return complain(added.error());
    warnOfCoverage(survey);
    if (!common.quiet && common.json != "-") {
        say("{} on {}: {} spots, {} over{}\n\n", scene.name, survey.target.name, survey.doneCount(),
            spotsOver(survey), survey.coverage ? ", " + survey.coverage->text() : "");
        printWorst(survey);
        printFrame(survey);
        if (survey.hasRays()) printSeen(scene, survey);
    }
    if (!options.csv.empty())
        if (auto written = writeFileAtomic(options.csv, toCsv(survey)); !written)
            return complain(written.error());
    if (!common.json.empty())
        if (auto written = writeJson(toJson(scene, survey), common.json); !written)
            return complain(written.error());
    if (!survey.complete) return kStopped;
    return spotsOver(survey) > 0 ? kOver : kWithin;
}

}  // namespace

void addSurvey(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb =
        addVerb(program, common, "survey",
                "Measure every place a player can reach, in all headings: what is "
                "drawn, what is seen; exit status 0: within, 1: over, 2: bad input, 3: stopped",
                "  flentro-cli survey market.glb --target \"Kiosk 60\"\n"
                "  flentro-cli survey market.glb --area walkable --csv views.csv\n"
                "  flentro-cli survey market.glb --route \"quayside walk\" "
                "--spacing 2 --drawn-only\n"
                "  flentro-cli survey market.glb --camera-distance 20 "
                "--camera-pitch -55\n");
    addScene(verb, common, options->scene);
    addSurveyOptions(verb, common, *options);
    verb.option("--face-size", options->faceSize, "Rays along an edge of the cube of views")
        .between(16, 2048);
    verb.flag("--drawn-only", options->drawnOnly, "Count what is drawn, cast no rays");
    verb.option("--csv", options->csv, "One line for each view").as("FILE");
    common.files.writes("--csv", options->csv);
    runs(verb, common, [=, &common] { return runSurvey(*options, common); });
}

}  // namespace flentro::cli
