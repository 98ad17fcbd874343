#include "simplify/reduce.h"

#include <fmt/format.h>

#include "base/cancel_only.h"
#include "base/parallel.h"
#include "base/text.h"
#include "budget/target.h"
#include "fixes/shared_borders.h"
#include "report/export.h"
#include "verbs.h"

namespace flentro::cli {
namespace {

struct Options {
    std::string scene;
    std::string out;
    std::string asset;
    std::size_t triangles = 0;
    double ratio = 0;
    double deviation = std::numeric_limits<double>::infinity();
    bool lockBorders = false;
    bool freeBorders = false;
    bool keepVertices = false;
};

ReduceOptions optionsFor(const Options& options, const Mesh& mesh) {
    ReduceOptions result;
    result.targetTriangles = options.triangles;
    if (options.ratio > 0)
        result.targetTriangles = static_cast<std::size_t>(options.ratio * mesh.triangles);
    result.maxDeviation = options.deviation;
    result.reducer.lockBorders = options.lockBorders;
    if (!options.keepVertices) result.reducer.placement = Placement::Optimal;
    return result;
}

struct Outcome {
    std::vector<std::vector<std::string>> rows;
    Json json = Json::array();
};

Outcome describeOutcome(const Scene& before, const Scene& after,
                        const std::vector<double>& deviations) {
    Outcome outcome;
    outcome.rows = {{"asset", "before", "after", "deviation"}};
    for (std::size_t i = 0; i < before.assets.size(); ++i) {
        const Mesh& from = *before.assets[i].mesh;
        const Mesh& to = *after.assets[i].mesh;
        if (from.triangles == to.triangles) continue;
        outcome.rows.push_back({from.name, formatCount(static_cast<double>(from.triangles)),
                                formatCount(static_cast<double>(to.triangles)),
                                formatMetres(deviations[i])});
        outcome.json.push_back({{"asset", from.name},
                                {"before", from.triangles},
                                {"after", to.triangles},
                                {"deviation", deviations[i]}});
    }
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
    if (options.triangles == 0 && options.ratio <= 0 && !std::isfinite(options.deviation))
        return complain(
            {ErrorCode::InvalidInput, "say how far: --triangles, --ratio or --deviation", "", ""});
    if (auto writable = checkOutputs({options.out, common.json}); !writable)
        return complain(writable.error());
    auto scene = openForVerb(options.scene, common, progress);
    if (!scene) return complain(scene.error());
    if (auto sound = checkExport(*scene, options.out); !sound) return complain(sound.error());
    if (auto known = checkAsset(*scene, options.asset); !known) return complain(known.error());
    Scene result = *scene;
    std::vector<double> deviations(scene->assets.size());
    std::vector<std::optional<Error>> errors(scene->assets.size());
    std::vector<std::string> reasons(scene->assets.size());
    auto locked = options.freeBorders
                      ? std::vector<std::vector<std::vector<bool>>>(deviations.size())
                      : findSharedBorders(*scene);
    const bool finished =
        parallelFor(scene->assets.size(), "Reducing", progress, [&](std::size_t i) {
            const Mesh& mesh = *scene->assets[i].mesh;
            if (!options.asset.empty() && mesh.name != options.asset) return;
            CancelOnly inside(progress);
            ReduceOptions own = optionsFor(options, mesh);
            own.reducer.locked = std::move(locked[i]);
            auto reduced = reduce(mesh, own, inside);
            if (!reduced) {
                errors[i] = reduced.error();
                return;
            }
            result.assets[i].mesh = reduced->mesh;
            reasons[i] = reduced->reason;
            // Levels below that are no lighter now would make the far view dearer.
            std::erase_if(result.assets[i].ladder.levels, [&](const Ladder::Level& level) {
                return level.mesh->triangles >= reduced->mesh->triangles;
            });
            deviations[i] = reduced->deviation;
        });
    if (!finished) return complain({ErrorCode::Cancelled, "stopped", "", ""});
    for (const auto& error : errors)
        if (error) return complain(*error);
    for (std::size_t i = 0; i < reasons.size(); ++i)
        if (!reasons[i].empty() && !common.quiet)
            warn("note: {}: {}\n", scene->assets[i].mesh->name, reasons[i]);
    ExportOptions writing;
    writing.manifest = false;
    auto written = exportScene(result, Target{}, options.out, writing, progress);
    if (!written) return complain(written.error());
    const Outcome outcome = describeOutcome(*scene, result, deviations);
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
    verb.option("scene", options->scene, "The scene").required();
    addImportOptions(verb, common);
    verb.option("--out", options->out, "The .glb or .gltf to write").required();
    verb.option("--asset", options->asset, "Only the asset of this name");
    verb.option("--triangles", options->triangles, "Triangles of each asset").between(1, 1e12);
    verb.option("--ratio", options->ratio, "Share of the triangles to keep").between(0, 1);
    verb.option("--deviation", options->deviation, "Largest deviation, metres").between(0, 1e9);
    verb.flag("--keep-vertices", options->keepVertices,
              "Only vertices that are there, as levels that share a vertex buffer need them; "
              "about a third less exact");
    verb.flag("--lock-borders", options->lockBorders, "Open borders stay where they are");
    verb.flag("--free-borders", options->freeBorders,
              "Also borders that meet another object's may move: gaps can open");
    verb.runs([=, &common] { return runReduce(*options, common); });
}

}  // namespace flentro::cli
