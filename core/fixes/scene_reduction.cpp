#include "fixes/scene_reduction.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/cancel_only.h"
#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/shared_borders.h"
#include "simplify/distribution.h"

namespace flentro {
namespace {

/// Reduces the chosen assets of a scene: first all of them all the way, then each to its share.
class SceneReducer {
public:
    SceneReducer(const Scene& scene, const SceneReduction& options)
        : scene_(scene), options_(options), scales_(placedScales(scene)) {
        for (std::size_t a = 0; a < scene.assets.size(); ++a)
            if (options.asset.empty() || scene.assets[a].mesh->name == options.asset)
                chosen_.push_back(a);
        locked_ =
            options.freeBorders ? decltype(locked_)(scene.assets.size()) : findSharedBorders(scene);
        begun_.resize(chosen_.size());
        reduced_.resize(chosen_.size());
        errors_.resize(chosen_.size());
    }

    Expected<ReducedScene> run(Progress& progress) {
        SubProgress collapsing(progress, 0, kCollapsing);
        SubProgress choosing(progress, kCollapsing, 1);
        if (auto done =
                forEachAsset("Reducing", collapsing,
                             [&](std::size_t i, Progress& inside) { collapseOne(i, inside); });
            !done)
            return tl::unexpected(done.error());
        const std::vector<std::size_t> counts = countsWanted();
        if (auto done = forEachAsset(
                "Choosing levels", choosing,
                [&](std::size_t i, Progress& inside) { reduceOne(i, counts[i], inside); });
            !done)
            return tl::unexpected(done.error());
        return result();
    }

private:
    static constexpr double kCollapsing = 0.6;

    template <typename Work>
    Expected<void> forEachAsset(const char* name, Progress& progress, const Work& work) {
        if (!parallelFor(chosen_.size(), name, progress, [&](std::size_t i) {
                CancelOnly inside(progress);
                work(i, inside);
            }))
            return stopped("Reducing");
        for (const auto& error : errors_)
            if (error) return tl::unexpected(*error);
        return {};
    }

    [[nodiscard]] const Mesh& meshOf(std::size_t i) const {
        return *scene_.assets[chosen_[i]].mesh;
    }

    [[nodiscard]] std::size_t trianglesOfAll() const {
        std::size_t sum = 0;
        for (std::size_t i = 0; i < chosen_.size(); ++i) sum += meshOf(i).triangles;
        return sum;
    }

    [[nodiscard]] std::size_t wantedOf(std::size_t triangles) const {
        return options_.triangles > 0 ? options_.triangles
                                      : static_cast<std::size_t>(std::llround(
                                            options_.ratio * static_cast<double>(triangles)));
    }

    /// A single asset is reduced no further than it has to be.
    [[nodiscard]] ReduceOptions optionsOf(std::size_t i, std::size_t triangles) const {
        ReduceOptions own;
        own.targetTriangles = triangles;
        own.maxDeviation = options_.maxDeviation / scales_[chosen_[i]];
        own.reducer = options_.reducer;
        own.reducer.locked = locked_[chosen_[i]];
        return own;
    }

    [[nodiscard]] bool isShared() const {
        return !options_.forEach && chosen_.size() > 1 &&
               (options_.triangles > 0 || options_.ratio > 0);
    }

    void collapseOne(std::size_t i, Progress& inside) {
        const Mesh& mesh = meshOf(i);
        if (mesh.triangles == 0) return;
        const std::size_t wanted = isShared() ? 0 : wantedOf(mesh.triangles);
        auto begun = Reduction::begin(mesh, optionsOf(i, wanted), inside);
        if (begun)
            begun_[i].emplace(std::move(*begun));
        else
            errors_[i] = begun.error();
    }

    /// [chosen]
    [[nodiscard]] std::vector<std::size_t> countsWanted() const {
        std::vector<std::size_t> counts;
        if (!isShared()) {
            for (std::size_t i = 0; i < chosen_.size(); ++i)
                counts.push_back(wantedOf(meshOf(i).triangles));
            return counts;
        }
        std::vector<DeviationCurve> curves;
        for (std::size_t i = 0; i < chosen_.size(); ++i) {
            curves.push_back(begun_[i] ? begun_[i]->curve() : DeviationCurve{{0, 0}});
            for (CurvePoint& point : curves.back()) point.deviation *= scales_[chosen_[i]];
        }
        return distributeTriangles(curves, wantedOf(trianglesOfAll()));
    }

    void reduceOne(std::size_t i, std::size_t triangles, Progress& inside) {
        const Mesh& mesh = meshOf(i);
        const bool isWhole = triangles >= mesh.triangles && triangles > 0;
        if (!begun_[i] || isWhole) {
            reduced_[i] = {scene_.assets[chosen_[i]].mesh, 0, isWhole};
            return;
        }
        auto reduced = begun_[i]->finish(optionsOf(i, triangles), inside);
        begun_[i].reset();
        if (reduced)
            reduced_[i] = std::move(*reduced);
        else
            errors_[i] = reduced.error();
    }

    [[nodiscard]] ReducedScene result() {
        ReducedScene result{scene_, {}, 0, {}};
        for (std::size_t i = 0; i < chosen_.size(); ++i) {
            Asset& asset = result.scene.assets[chosen_[i]];
            result.assets.push_back({chosen_[i], asset.mesh->triangles, reduced_[i].mesh->triangles,
                                     reduced_[i].deviation * scales_[chosen_[i]]});
            if (!reduced_[i].reason.empty() && !isShared())
                result.notes.push_back({asset.mesh->name, reduced_[i].reason});
            asset.mesh = reduced_[i].mesh;
            // Levels below that are no lighter now would make the far view dearer.
            std::erase_if(asset.ladder.levels, [&](const Ladder::Level& level) {
                return level.mesh->triangles >= asset.mesh->triangles;
            });
        }
        if (options_.triangles > 0 || options_.ratio > 0)
            result.wanted = wantedOf(trianglesOfAll());
        if (isShared() && result.triangles() > result.wanted)
            result.notes.push_back(shortfall(result));
        return result;
    }

    [[nodiscard]] Note shortfall(const ReducedScene& result) const {
        const auto number = [](std::size_t count) {
            return formatCount(static_cast<double>(count));
        };
        return {scene_.name,
                fmt::format("{} triangles are the fewest of {} {}", number(result.triangles()),
                            counted(chosen_.size(), "asset"),
                            std::isfinite(options_.maxDeviation)
                                ? "within " + formatMetres(options_.maxDeviation)
                                : std::string("together: what is left are loose pieces and edges "
                                              "that cannot be joined"))};
    }

    const Scene& scene_;
    const SceneReduction& options_;
    std::vector<double> scales_;       ///< [assets]
    std::vector<std::size_t> chosen_;  ///< Assets.
    std::vector<std::vector<std::vector<bool>>> locked_;
    std::vector<std::optional<Reduction>> begun_;  ///< [chosen]
    std::vector<Reduced> reduced_;                 ///< [chosen]
    std::vector<std::optional<Error>> errors_;     ///< [chosen]
};

}  // namespace

std::size_t ReducedScene::triangles() const {
    std::size_t sum = 0;
    for (const ReducedAsset& each : assets) sum += each.after;
    return sum;
}

std::vector<double> placedScales(const Scene& scene) {
    std::vector<double> scales(scene.assets.size(), 0);
    for (const Object& object : scene.objects) {
        double& largest = elementOf(scales, object.asset);
        largest = std::max(largest, object.scale);
    }
    for (double& scale : scales)
        if (scale <= 0) scale = 1;
    return scales;
}

Expected<ReducedScene> reduceScene(const Scene& scene, const SceneReduction& options,
                                   Progress& progress) {
    if (!(options.maxDeviation >= 0))
        return fail(ErrorCode::InvalidInput, "the largest deviation must not be negative");
    return SceneReducer(scene, options).run(progress);
}

}  // namespace flentro
