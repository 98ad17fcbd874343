#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/parallel.h"
#include "base/text.h"
#include "fixes/fix.h"
#include "simplify/deviation.h"
#include "simplify/level_order.h"

namespace flentro {
namespace {

/// A level that saves less than this over the one before is not worth its memory.
constexpr double kWorthwhile = 0.8;

/// Ladders of one asset, made on one thread.
class LadderMaker {
public:
    LadderMaker(const Asset& asset, const LadderSettings& settings, const Target& target,
                Progress& progress)
        : asset_(asset), settings_(settings), target_(target), progress_(progress) {}

    /// Nothing if cancelled.
    std::optional<Asset> run() {
        Asset result = asset_;
        if (settings_.trimTop && !trimTop(result)) return std::nullopt;
        result.ladder.levels.clear();
        const MeshPtr top = result.mesh;
        Reducer reducer(*top, {});
        std::vector<LevelIndices> levels = {topIndices(*top)};
        auto wanted = static_cast<double>(top->triangles);
        auto previous = wanted;
        for (int i = 0; i < settings_.levels; ++i) {
            wanted *= settings_.ratio;
            if (wanted < settings_.smallestLevel) break;
            if (!reducer.reduceTo(static_cast<std::size_t>(wanted), kNoLimit, progress_))
                return std::nullopt;
            const auto triangles = static_cast<double>(reducer.triangleCount());
            if (triangles > previous * kWorthwhile) break;
            previous = triangles;
            levels.push_back(reducer.indices());
        }
        if (levels.size() > 1) addLevels(result, shareVertices(*top, levels));
        return result;
    }

private:
    static constexpr double kNoLimit = std::numeric_limits<double>::infinity();

    /// Level 0 with no more detail than shows from the nearest place.
    bool trimTop(Asset& result) {
        ReduceOptions options;
        options.maxDeviation = settings_.pixels * settings_.nearest / pixelsPerMetreAtOne(target_);
        auto reduced = reduce(*asset_.mesh, options, progress_);
        if (!reduced) return false;
        const auto before = static_cast<double>(asset_.mesh->triangles);
        if (static_cast<double>(reduced->mesh->triangles) < before * kWorthwhile)
            result.mesh = reduced->mesh;
        return true;
    }

    void addLevels(Asset& result, std::vector<Mesh> meshes) {
        const Surface original(*asset_.mesh);
        result.mesh = finishMesh(std::move(meshes.front()));
        for (std::size_t i = 1; i < meshes.size(); ++i) {
            Ladder::Level level;
            level.mesh = finishMesh(std::move(meshes[i]));
            level.deviation = measureDeviation(*asset_.mesh, original, *level.mesh).largest;
            level.switchDistance = switchDistance(level.deviation, result.ladder);
            result.ladder.levels.push_back(std::move(level));
        }
    }

    /// Where the deviation shrinks to the allowed pixels; beyond the level before in any case.
    [[nodiscard]] double switchDistance(double deviation, const Ladder& ladder) const {
        constexpr double kStep = 1.05;
        const double computed = deviation * pixelsPerMetreAtOne(target_) / settings_.pixels;
        const double before =
            ladder.empty() ? settings_.nearest : ladder.levels.back().switchDistance;
        return std::max(computed, before * kStep);
    }

    const Asset& asset_;
    const LadderSettings& settings_;
    const Target& target_;
    Progress& progress_;
};

void applyOverride(Ladder& ladder, const LadderOverride& change) {
    const std::size_t count = std::min(ladder.levels.size(), change.switchDistances.size());
    for (std::size_t i = 0; i < count; ++i)
        ladder.levels[i].switchDistance = change.switchDistances[i];
}

std::vector<std::size_t> assetsWorthIt(const Scene& scene, const LadderSettings& settings) {
    std::vector<std::size_t> worth;
    for (std::size_t i = 0; i < scene.assets.size(); ++i) {
        const Mesh& mesh = *scene.assets[i].mesh;
        const auto change = settings.overrides.find(mesh.name);
        const bool skipped = change != settings.overrides.end() && change->second.skip;
        if (!skipped && mesh.triangles >= static_cast<std::size_t>(settings.minTriangles))
            worth.push_back(i);
    }
    // The heaviest first, so that both cores finish at about the same time.
    std::stable_sort(worth.begin(), worth.end(), [&](std::size_t a, std::size_t b) {
        return scene.assets[a].mesh->triangles > scene.assets[b].mesh->triangles;
    });
    return worth;
}

/// Passes cancelling on but no fractions: those of single assets would jump about. The whole
/// is reported by triangles finished.
class CancelOnly final : public Progress {
public:
    explicit CancelOnly(Progress& whole) : whole_(whole) {}
    void report(double, std::string_view) override {}
    [[nodiscard]] bool cancelled() const override { return whole_.cancelled(); }

private:
    Progress& whole_;
};

FixRecord describeLadders(const Scene& before, const Scene& after, std::size_t worth) {
    std::size_t levels = 0;
    std::size_t laddered = 0;
    std::size_t trimmed = 0;
    FixRecord record;
    for (std::size_t i = 0; i < after.assets.size(); ++i) {
        const Asset& asset = after.assets[i];
        levels += asset.ladder.levels.size();
        laddered += !asset.ladder.empty();
        trimmed += before.assets[i].mesh->triangles - asset.mesh->triangles;
    }
    record.summary = fmt::format("{} levels for {} of {} assets; level 0 {} triangles lighter",
                                 levels, laddered, after.assets.size(), formatCount(trimmed));
    if (laddered < worth)
        record.notes.push_back(fmt::format(
            "{} assets could not be reduced: borders of materials and edges of more than two "
            "triangles hold them",
            worth - laddered));
    return record;
}

}  // namespace

Expected<Fixed> applyLadder(const Scene& scene, const LadderSettings& settings,
                            const Target& target, Progress& progress) {
    const std::vector<std::size_t> worth = assetsWorthIt(scene, settings);
    std::vector<std::optional<Asset>> made(worth.size());
    CancelOnly quiet(progress);
    double total = 0;
    for (const std::size_t i : worth) total += static_cast<double>(scene.assets[i].mesh->triangles);
    std::atomic<double> done = 0;
    const bool finished = parallelFor(worth.size(), "Making levels", quiet, [&](std::size_t i) {
        const Asset& asset = scene.assets[worth[i]];
        made[i] = LadderMaker(asset, settings, target, quiet).run();
        done += static_cast<double>(asset.mesh->triangles);
        progress.report(done / total, "Making levels: " + asset.mesh->name);
    });
    if (!finished) return fail(ErrorCode::Cancelled, "Making levels was stopped");
    Fixed result{scene, {}};
    for (std::size_t i = 0; i < worth.size(); ++i) {
        Asset& asset = result.scene.assets[worth[i]];
        if (made[i]) asset = *made[i];
        const auto change = settings.overrides.find(asset.mesh->name);
        if (change != settings.overrides.end()) applyOverride(asset.ladder, change->second);
    }
    for (Object& object : result.scene.objects)
        object.bounds = transformBox(object.world, result.scene.mesh(object).bounds);
    result.record = describeLadders(scene, result.scene, worth.size());
    return result;
}

}  // namespace flentro
