#include <fmt/format.h>

#include "base/text.h"
#include "report/audit.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options {
    std::string scene;
    std::string target = "Kiosk 60";
    std::vector<double> eye;
    double heading = 0;
    double pitch = 0;
};

const char* stateWord(State state) {
    return state == State::Over ? "over" : state == State::Near ? "near" : "within";
}

void print(const Audit& audit) {
    std::vector<std::vector<std::string>> table = {{"measure", "value", "limit", "load", ""}};
    for (const Measure measure : kMeasures) {
        const double limit = at(audit.target.limits, measure);
        const double load = at(audit.loads, measure);
        table.push_back({measureName(measure), formatMeasure(measure, at(audit.counts, measure)),
                         limit > 0 ? formatMeasure(measure, limit) : "none",
                         limit > 0 ? formatLoad(load) : "-", stateWord(stateOf(load))});
    }
    if (audit.view)
        fmt::print("{} on {}, from ({:.1f}, {:.1f}, {:.1f}) heading {:.0f} degrees\n\n",
                   audit.scene, audit.target.name, audit.view->eye.x(), audit.view->eye.y(),
                   audit.view->eye.z(), audit.view->heading);
    else
        fmt::print("{} on {}, everything at once (give --eye for a view)\n\n", audit.scene,
                   audit.target.name);
    fmt::print("{}\n{}\n", formatTable(table), audit.within() ? "Within." : "Over.");
}

int runAudit(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    auto target = findTarget(options.target);
    if (!target) return complain(target.error());
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    std::optional<Viewpoint> view;
    if (options.eye.size() == 3)
        view = Viewpoint{
            {options.eye[0], options.eye[1], options.eye[2]}, options.heading, options.pitch};
    const Audit audit = makeAudit(*scene, *target, view);
    if (!common.quiet && common.json != "-") print(audit);
    if (!common.json.empty())
        if (auto written = writeJson(toJson(audit), common.json); !written)
            return complain(written.error());
    return audit.within() ? kWithin : kOver;
}

}  // namespace

void addAudit(CLI::App& app, Common& common, Run& run) {
    auto options = std::make_shared<Options>();
    CLI::App* verb = addVerb(app, common, "audit",
                             "Hold a view, or the whole scene, against a target; exit status 0: "
                             "within, 1: over, 2: bad input",
                             "  flentro-cli audit market.glb --target \"Kiosk 60\"\n"
                             "  flentro-cli audit market.glb --eye -9,1.7,-10.8 --heading 72\n"
                             "  flentro-cli audit market.glb --target ours.target.json --quiet "
                             "|| echo over\n");
    verb->add_option("scene", options->scene, "The scene")->required();
    verb->add_option("--target", options->target, "A shipped target or a *.target.json file");
    verb->add_option("--eye", options->eye, "Where to stand, metres")
        ->delimiter(',')
        ->expected(3)
        ->type_name("X,Y,Z");
    verb->add_option("--heading", options->heading, "Degrees clockwise from north (-Z)");
    verb->add_option("--pitch", options->pitch, "Degrees upward")->check(CLI::Range(-89.0, 89.0));
    verb->callback(
        [=, &common, &run] { run = [=, &common] { return runAudit(*options, common); }; });
}

}  // namespace flentro::cli
