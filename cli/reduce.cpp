#include <fmt/format.h>

#include "base/text.h"
#include "budget/target.h"
#include "fixes/scene_reduction.h"
#include "report/export.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options {
    std::string scene;
    std::string out;
    SceneReduction reduction;
    bool lockBorders = false;
    bool keepVertices = false;
};

struct Outcome {
    std::vector<std::vector<std::string>> rows;
    Json json = Json::array();
};

Outcome describeOutcome(const Scene& before, const ReducedScene& reduced) {
    const auto number = [](std::size_t count) { return formatCount(static_cast<double>(count)); };
    Outcome outcome;
    outcome.rows = {{"asset", "before", "after", "deviation"}};
    std::size_t all = 0;
    double largest = 0;
    for (const ReducedAsset& asset : reduced.assets) {
        all += asset.before;
        largest = std::max(largest, asset.deviation);
        if (asset.before == asset.after) continue;
        const std::string& name = before.assets[asset.asset].mesh->name;
        outcome.rows.push_back(
            {name, number(asset.before), number(asset.after), formatMetres(asset.deviation)});
        outcome.json.push_back({{"asset", name},
                                {"before", asset.before},
                                {"after", asset.after},
                                {"deviation", asset.deviation}});
    }
    if (reduced.assets.size() > 1)
        outcome.rows.push_back(
            {"all", number(all), number(reduced.triangles()), formatMetres(largest)});
    return outcome;
}

/// Errors: NotFound when no asset is called that.
Expected<void> checkAsset(const Scene& scene, const std::string& name) {
    if (name.empty()) return {};
    for (const Asset& asset : scene.assets)
        if (asset.mesh->name == name) return {};
    return fail(ErrorCode::NotFound, "no asset has this name", name,
                "'flentro-cli inventory' lists them");
}

int runReduce(const Options& options, const Common& common) {
    TerminalProgress progress(common.quiet);
    SceneReduction reduction = options.reduction;
    if (reduction.triangles == 0 && reduction.ratio <= 0 && !std::isfinite(reduction.maxDeviation))
        return complain(
            {ErrorCode::InvalidInput, "say how far: --triangles, --ratio or --deviation", "", ""});
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    if (auto sound = checkExport(*scene, options.out); !sound) return complain(sound.error());
    if (auto known = checkAsset(*scene, reduction.asset); !known) return complain(known.error());
    reduction.reducer.lockBorders = options.lockBorders;
    if (!options.keepVertices) reduction.reducer.placement = Placement::Optimal;
    const auto reduced = reduceScene(*scene, reduction, progress);
    if (!reduced) return complain(reduced.error());
    for (const Note& note : reduced->notes)
        if (!common.quiet) warn("note: {}: {}\n", note.where, note.what);
    ExportOptions writing;
    writing.manifest = false;
    auto written = exportScene(reduced->scene, Target{}, options.out, writing, progress);
    if (!written) return complain(written.error());
    const Outcome outcome = describeOutcome(*scene, *reduced);
    if (!common.quiet && common.json != "-") say("{}", formatTable(outcome.rows));
    if (common.json.empty()) return kWithin;
    auto reported = writeJson(outcome.json, common.json);
    return reported ? kWithin : complain(reported.error());
}

}  // namespace

void addReduce(Program& program, Common& common) {
    auto options = std::make_shared<Options>();
    Arguments verb =
        addVerb(program, common, "reduce", "Fewer triangles for every asset, or for one",
                "  flentro-cli reduce market.glb --ratio 0.5 --out lighter.glb\n"
                "  flentro-cli reduce market.glb --asset bollard --triangles 800 "
                "--out lighter.glb\n"
                "  flentro-cli reduce scan.ply --deviation 0.002 --out scan.glb\n");
    addScene(verb, common, options->scene);
    verb.option("--out", options->out, "The .glb or .gltf to write").required();
    common.files.writes("--out", options->out, exportedFiles);
    SceneReduction& reduction = options->reduction;
    verb.option("--asset", reduction.asset, "Only the asset of this name");
    verb.option("--triangles", reduction.triangles,
                "Triangles of all assets together, each counted once")
        .between(1, 1e12);
    verb.option("--ratio", reduction.ratio, "Share of those triangles to keep").between(0, 1);
    verb.flag("--each", reduction.forEach,
              "Triangles or ratio of each asset by itself; otherwise those lose most that deviate "
              "least");
    verb.option("--deviation", reduction.maxDeviation,
                "Largest deviation, metres in the scene whatever the file's unit is")
        .between(0, 1e9);
    verb.flag("--keep-vertices", options->keepVertices,
              "Only vertices that are there, as levels that share a vertex buffer need them; "
              "about a third less exact");
    verb.flag("--lock-borders", options->lockBorders, "Open borders stay where they are");
    verb.flag("--free-borders", reduction.freeBorders,
              "Also borders that meet another object's may move: gaps can open");
    runs(verb, common, [=, &common] { return runReduce(*options, common); });
}

}  // namespace flentro::cli
