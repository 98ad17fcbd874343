#include <fmt/format.h>

#include "io/file.h"
#include "report/survey_report.h"
#include "survey_options.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options : SurveyOptions {
    std::string scene;
    std::string times;
    std::string out;
};

void print(const Calibration& fit, const std::vector<FrameSample>& samples) {
    std::vector<std::vector<std::string>> table = {{"term", "ms", ""}};
    for (std::size_t i = 0; i < kCostTermCount; ++i) {
        std::string note;
        for (const Calibration::Held& held : fit.held)
            if (held.term == static_cast<CostTerm>(i)) note = "kept: " + held.why;
        table.push_back({costTermName(static_cast<CostTerm>(i)),
                         fmt::format("{:.4g}", fit.frameCost[i]), note});
    }
    say("{}\n{} frames; residuals: {:.2f} ms root mean square, {:.2f} ms at most; {:.1f} % "
        "of the variance explained\n",
        formatTable(table), samples.size(), fit.rms, fit.worst, 100 * fit.explained);
}

Json toJson(const Calibration& fit, const std::vector<FrameSample>& samples) {
    Json json = {{"format", "flentro-calibration"},
                 {"version", 1},
                 {"rms", fit.rms},
                 {"worst", fit.worst},
                 {"explained", fit.explained},
                 {"frameCost", Json::object()},
                 {"kept", Json::array()},
                 {"frames", Json::array()}};
    for (std::size_t i = 0; i < kCostTermCount; ++i)
        json["frameCost"][costTermKey(static_cast<CostTerm>(i))] = fit.frameCost[i];
    for (const Calibration::Held& held : fit.held)
        json["kept"].push_back({{"term", costTermKey(held.term)}, {"why", held.why}});
    for (std::size_t i = 0; i < samples.size(); ++i)
        json["frames"].push_back({{"spot", samples[i].spot},
                                  {"heading", samples[i].heading},
                                  {"milliseconds", samples[i].milliseconds},
                                  {"residual", fit.residuals[i]}});
    return json;
}

int runCalibrate(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    auto csv = readTextFile(options.times);
    if (!csv) return complain(csv.error());
    auto opened = openToSurvey(options.scene, options, common, progress);
    if (!opened) return complain(opened.error());
    const Target& target = opened->target;
    opened->settings.faceSize = 64;  // for the layers only
    opened->settings.aimAtTriangles = false;
    if (auto built = ensureRays(opened->rays, opened->scene, progress); !built)
        return complain(built.error());
    const Survey survey = takeSurvey(opened->scene, opened->rays.get(), target, opened->spots,
                                     opened->settings, progress);
    if (!survey.complete) return complain(stopped("The survey").value());
    auto samples = readFrameTimes(*csv, survey);
    if (!samples) {
        samples.error().where = options.times + ", " + samples.error().where;
        return complain(samples.error());
    }
    const auto fit = calibrate(*samples, target);
    if (!fit) return complain(fit.error());
    if (!common.quiet && common.json != "-") print(*fit, *samples);
    if (!common.json.empty())
        if (auto written = writeJson(toJson(*fit, *samples), common.json); !written)
            return complain(written.error());
    if (options.out.empty()) return kWithin;
    Target calibrated = target;
    calibrated.frameCost = fit->frameCost;
    calibrated.calibrated = true;
    auto written = writeJson(flentro::toJson(calibrated), options.out);
    return written ? kWithin : complain(written.error());
}

}  // namespace

void addCalibrate(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb = addVerb(program, common, "calibrate",
                             "Fit the frame cost of a target to measured frame times",
                             "  flentro-cli calibrate market.glb times.csv --target \"Kiosk 60\" "
                             "--out ours.target.json\n"
                             "  (times.csv: spot,heading,ms; spots as in 'survey --csv')\n");
    addScene(verb, common, options->scene);
    verb.option("times", options->times, "CSV with the columns spot, heading, ms").required();
    common.files.reads("the times", options->times);
    addSurveyOptions(verb, common, *options);
    verb.option("--out", options->out, "Write the calibrated target here").as("FILE");
    common.files.writes("--out", options->out);
    runs(verb, common, [=, &common] { return runCalibrate(*options, common); });
}

}  // namespace flentro::cli
