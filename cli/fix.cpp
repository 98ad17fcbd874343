#include <fmt/format.h>

#include "base/text.h"
#include "fixes/work_order.h"
#include "io/file.h"
#include "report/export.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options {
    std::string scene;
    std::string order;
    std::string out;
    std::string target = "Kiosk 60";
    std::string levels = "extension";
};

/// Tidy, ladder and culling distances with their defaults.
WorkOrder defaultOrder() {
    WorkOrder order;
    order.add(TidySettings{});
    order.add(LadderSettings{});
    order.add(CullingSettings{});
    return order;
}

Expected<WorkOrder> readOrder(const std::string& file) {
    if (file.empty()) return defaultOrder();
    auto text = readTextFile(file);
    if (!text) return tl::unexpected(text.error());
    auto json = parseJson(*text, file);
    if (!json) return tl::unexpected(json.error());
    return parseWorkOrder(*json, file);
}

LevelLayout layoutOf(const std::string& name) {
    if (name == "nodes") return LevelLayout::NamedNodes;
    return name == "top" ? LevelLayout::TopOnly : LevelLayout::LodExtension;
}

void print(const WorkOrder& order, const Evaluation& evaluation, const Exported& exported,
           const std::string& out) {
    for (const Step& step : evaluation.steps) {
        fmt::print("{}: {}\n", fixName(order.find(step.fix)->settings),
                   step.result->record.summary);
        for (const std::string& note : step.result->record.notes) fmt::print("  {}\n", note);
    }
    fmt::print("{}: {}\n", out, formatBytes(static_cast<double>(exported.bytes)));
    if (!exported.manifest.empty()) fmt::print("{}\n", exported.manifest.string());
}

Json report(const WorkOrder& order, const Evaluation& evaluation, const Exported& exported) {
    Json json = {{"format", "flentro-fix-result"},
                 {"version", 1},
                 {"bytes", exported.bytes},
                 {"steps", Json::array()}};
    for (const Step& step : evaluation.steps)
        json["steps"].push_back({{"fix", fixKey(order.find(step.fix)->settings)},
                                 {"summary", step.result->record.summary},
                                 {"notes", step.result->record.notes}});
    return json;
}

int runFix(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    auto target = findTarget(options.target);
    if (!target) return complain(target.error());
    auto order = readOrder(options.order);
    if (!order) return complain(order.error());
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    StepCache cache;
    auto evaluation = evaluate(*order, std::make_shared<const Scene>(std::move(*scene)), *target,
                               cache, progress);
    if (!evaluation) return complain(evaluation.error());
    ExportOptions writing;
    writing.levels = layoutOf(options.levels);
    auto exported = exportScene(evaluation->result(), *target, options.out, writing, progress);
    if (!exported) return complain(exported.error());
    if (!common.quiet && common.json != "-") print(*order, *evaluation, *exported, options.out);
    if (common.json.empty()) return kWithin;
    auto written = writeJson(report(*order, *evaluation, *exported), common.json);
    return written ? kWithin : complain(written.error());
}

}  // namespace

void addFix(CLI::App& app, Common& common, Run& run) {
    auto options = std::make_shared<Options>();
    CLI::App* verb =
        addVerb(app, common, "fix", "Apply a work order and export the result",
                "  flentro-cli fix market.glb --out lighter.glb\n"
                "  flentro-cli fix market.glb --order order.json --target \"Slate 60\" "
                "--out lighter.glb --levels nodes\n");
    verb->add_option("scene", options->scene, "The scene")->required();
    verb->add_option("--out", options->out, "The .glb or .gltf to write")->required();
    verb->add_option("--order", options->order,
                     "A work order (JSON); without one: tidy, ladder, culling distances");
    verb->add_option("--target", options->target, "A shipped target or a *.target.json file");
    verb->add_option("--levels", options->levels,
                     "extension: MSFT_lod; nodes: a named node each; top: level 0 alone")
        ->check(CLI::IsMember({"extension", "nodes", "top"}));
    verb->callback([=, &common, &run] { run = [=, &common] { return runFix(*options, common); }; });
}

}  // namespace flentro::cli
