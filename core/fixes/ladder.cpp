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
#include "simplify/reduce.h"

namespace flentro {
namespace {

/// Ladders of one asset, made on one thread.
class LadderMaker {
public:
    LadderMaker(const Asset& asset, const LadderSettings& settings, const Target& target,
                Progress& progress)
        : asset_(asset),
          settings_(settings),
          target_(target),
          progress_(progress),
          original_(*asset.mesh) {}

    /// Nothing if cancelled.
    std::optional<Asset> run() {
        const Mesh& source = *asset_.mesh;
        Reducer reducer(source, {});
        const auto fewest = static_cast<std::size_t>(settings_.smallestLevel);
        if (!reducer.reduceTo(fewest, kNoLimit, progress_)) return std::nullopt;
        const CollapseLog& log = reducer.log();
        const auto top = topCount(log);
        if (!top) return std::nullopt;
        Asset result = asset_;
        result.ladder.levels.clear();
        const bool trimmed = *top < source.triangles;
        std::vector<LevelIndices> levels = {trimmed ? log.indicesAt(*top) : topIndices(source)};
        auto wanted = static_cast<double>(*top);
        double previous = wanted;
        for (int i = 0; i < settings_.levels; ++i) {
            wanted *= settings_.ratio;
            if (wanted < settings_.smallestLevel) break;
            const auto count = static_cast<std::size_t>(wanted);
            const auto triangles = static_cast<double>(log.trianglesAt(count));
            if (triangles > previous * (1 - settings_.gain) || triangles < settings_.smallestLevel)
                break;
            previous = triangles;
            levels.push_back(log.indicesAt(count));
        }
        if (trimmed || levels.size() > 1) addLevels(result, shareVertices(source, levels));
        return result;
    }

private:
    static constexpr double kNoLimit = std::numeric_limits<double>::infinity();

    /// Triangles of level 0: no more detail than shows from the nearest place, if that saves
    /// enough. Nothing if cancelled.
    std::optional<std::size_t> topCount(const CollapseLog& log) {
        const std::size_t all = asset_.mesh->triangles;
        if (!settings_.trimTop) return all;
        const double limit = settings_.pixels * settings_.nearest / pixelsPerMetreAtOne(target_);
        const auto trimmed = fewestWithin(*asset_.mesh, original_, log, limit, progress_);
        if (!trimmed) return std::nullopt;
        const std::size_t count = trimmed->mesh->triangles;
        const bool worthIt =
            static_cast<double>(count) <= static_cast<double>(all) * (1 - settings_.gain);
        return worthIt ? count : all;
    }

    void addLevels(Asset& result, std::vector<Mesh> meshes) {
        result.mesh = finishMesh(std::move(meshes.front()));
        for (std::size_t i = 1; i < meshes.size(); ++i) {
            Ladder::Level level;
            level.mesh = finishMesh(std::move(meshes[i]));
            level.deviation = measureDeviation(*asset_.mesh, original_, *level.mesh).largest;
            const Mesh& before = *result.level(i - 1);
            level.switchDistance = switchDistance(level.deviation, before, result.ladder);
            result.ladder.levels.push_back(std::move(level));
        }
    }

    /// Where the deviation shrinks to the allowed pixels, or before that where the triangles of
    /// the level before become too small; beyond that level's own distance in any case.
    [[nodiscard]] double switchDistance(double deviation, const Mesh& before,
                                        const Ladder& ladder) const {
        constexpr double kStep = 1.05;
        const double perMetre = pixelsPerMetreAtOne(target_);
        double distance = deviation * perMetre / settings_.pixels;
        if (settings_.trianglePixels > 0) {
            // Faces lie at all angles: on average a projected area is half of the whole one.
            const double area = 0.5 * areaOf(before) / static_cast<double>(before.triangles);
            distance = std::min(distance, perMetre * std::sqrt(area / settings_.trianglePixels));
        }
        const double least =
            ladder.empty() ? settings_.nearest : ladder.levels.back().switchDistance;
        return std::max(distance, least * kStep);
    }

    [[nodiscard]] static double areaOf(const Mesh& mesh) {
        double area = 0;
        for (const Part& part : mesh.parts) {
            if (!part.isTriangles()) continue;
            const std::vector<Vec3f> p = toVectors(*part.find("POSITION"));
            for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3) {
                const Vec3f& a = p[part.indices[i]];
                const Vec3f across = (p[part.indices[i + 1]] - a).cross(p[part.indices[i + 2]] - a);
                area += 0.5 * static_cast<double>(across.norm());
            }
        }
        return area;
    }

    const Asset& asset_;
    const LadderSettings& settings_;
    const Target& target_;
    Progress& progress_;
    const Surface original_;
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
