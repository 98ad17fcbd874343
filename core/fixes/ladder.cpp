#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>

#include "base/parallel.h"
#include "base/text.h"
#include "fixes/far_levels.h"
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
          progress_(progress),
          perMetre_(pixelsPerMetreAtOne(target)),
          pixels_(settings.pixels * allowance(asset.importance)),
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
        result.ladder.hysteresis = settings_.hysteresis;
        const auto counts = settings_.rule == LevelRule::Ratio ? countsByRatio(log, *top)
                                                               : countsByDeviation(log, *top);
        if (!counts) return std::nullopt;
        const bool trimmed = *top < source.triangles;
        std::vector<LevelIndices> levels = {trimmed ? log.indicesAt(*top) : topIndices(source)};
        for (const std::size_t count : *counts) levels.push_back(log.indicesAt(count));
        if (trimmed || levels.size() > 1) addLevels(result, shareVertices(source, levels));
        return result;
    }

private:
    static constexpr double kNoLimit = std::numeric_limits<double>::infinity();

    using Counts = std::optional<std::vector<std::size_t>>;

    [[nodiscard]] Counts countsByRatio(const CollapseLog& log, std::size_t top) const {
        std::vector<std::size_t> counts;
        std::size_t previous = top;
        auto wanted = static_cast<double>(top);
        while (counts.size() < static_cast<std::size_t>(settings_.levels)) {
            wanted *= settings_.ratio;
            const std::size_t triangles = log.trianglesAt(static_cast<std::size_t>(wanted));
            if (isTooSmall(triangles) || !gains(triangles, previous)) break;
            counts.push_back(previous = triangles);
        }
        return counts;
    }

    /// Steps that would not gain are left out.
    [[nodiscard]] Counts countsByDeviation(const CollapseLog& log, std::size_t top) {
        std::vector<std::size_t> counts;
        std::size_t previous = top;
        double allowed = settings_.firstDeviation;
        double step = settings_.deviationStep;
        if (settings_.rule == LevelRule::Halving) {
            step = 2;
            allowed = step * settings_.nearest * pixels_ / perMetre_;
        }
        const double widest = asset_.mesh->bounds.diagonal().norm();
        for (; counts.size() < static_cast<std::size_t>(settings_.levels) && allowed < widest;
             allowed *= step) {
            const auto level = fewestWithin(*asset_.mesh, original_, log, allowed, progress_);
            if (!level) return std::nullopt;
            const std::size_t triangles = level->mesh->triangles;
            if (isTooSmall(triangles)) break;
            if (gains(triangles, previous)) counts.push_back(previous = triangles);
        }
        return counts;
    }

    [[nodiscard]] bool gains(std::size_t triangles, std::size_t before) const {
        return static_cast<double>(triangles) <= static_cast<double>(before) * (1 - settings_.gain);
    }
    [[nodiscard]] bool isTooSmall(std::size_t triangles) const {
        return triangles < static_cast<std::size_t>(settings_.smallestLevel);
    }

    /// Triangles of level 0: no more detail than shows from the nearest place, if that saves
    /// enough. Nothing if cancelled.
    std::optional<std::size_t> topCount(const CollapseLog& log) {
        const std::size_t all = asset_.mesh->triangles;
        if (!settings_.trimTop) return all;
        const double limit = pixels_ * settings_.nearest / perMetre_;
        const auto trimmed = fewestWithin(*asset_.mesh, original_, log, limit, progress_);
        if (!trimmed) return std::nullopt;
        const std::size_t count = trimmed->mesh->triangles;
        return gains(count, all) ? count : all;
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
        double distance = deviation * perMetre_ / pixels_;
        if (settings_.trianglePixels > 0) {
            // Faces lie at all angles: on average a projected area is half of the whole one.
            const double area = 0.5 * areaOf(before) / static_cast<double>(before.triangles);
            distance = std::min(distance, perMetre_ * std::sqrt(area / settings_.trianglePixels));
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
    Progress& progress_;
    const double perMetre_;  ///< Pixels of a metre at one metre.
    const double pixels_;    ///< Deviation allowed at a switch.
    const Surface original_;
};

void applyOverride(Ladder& ladder, const LadderOverride& change) {
    const std::size_t count = std::min(ladder.levels.size(), change.switchDistances.size());
    for (std::size_t i = 0; i < count; ++i)
        ladder.levels[i].switchDistance = change.switchDistances[i];
    ladder.caps = change.caps;
}

std::vector<std::size_t> assetsWorthIt(const Scene& scene, const LadderSettings& settings) {
    std::vector<std::size_t> worth;
    for (std::size_t i = 0; i < scene.assets.size(); ++i) {
        const Mesh& mesh = *scene.assets[i].mesh;
        const auto change = settings.overrides.find(mesh.name);
        const bool skipped = scene.assets[i].importance == Importance::Keep ||
                             (change != settings.overrides.end() && change->second.skip);
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

/// True if a level's stream is the beginning of one of level 0: stored once.
bool isShared(const Stream& stream, const Mesh& top) {
    const auto begins = [&](const Attribute& attribute) {
        const auto& all = attribute.stream->data;
        return all.size() >= stream.data.size() &&
               std::equal(stream.data.begin(), stream.data.end(), all.begin());
    };
    return std::any_of(top.parts.begin(), top.parts.end(), [&](const Part& part) {
        return std::any_of(part.attributes.begin(), part.attributes.end(), begins);
    });
}

/// Bytes that the levels add to those of level 0.
std::size_t bytesOfLevels(const Asset& asset) {
    std::size_t bytes = 0;
    for (const Ladder::Level& level : asset.ladder.levels)
        for (const Part& part : level.mesh->parts) {
            bytes += part.indices.size() * indexSize(part.vertexCount());
            for (const Attribute& attribute : part.attributes)
                if (!isShared(*attribute.stream, *asset.mesh))
                    bytes += attribute.stream->data.size();
        }
    return bytes;
}

void describeFarLevels(const FarLevels& far, const LadderSettings& settings, FixRecord& record) {
    if (settings.plainFrom > 0)
        record.notes.push_back(fmt::format("{} levels have cheaper materials", far.plain));
    if (settings.onePartFrom > 0)
        record.notes.push_back(
            fmt::format("{} levels became one part in the colours of their vertices", far.onePart));
    if (settings.cardPixels > 0)
        record.notes.push_back(
            fmt::format("{} assets end in crossed cards; those of {} would look too different",
                        far.cards, far.refused));
}

FixRecord describeLadders(const Scene& before, const Scene& after, std::size_t worth) {
    std::size_t levels = 0;
    std::size_t laddered = 0;
    std::size_t trimmed = 0;
    std::size_t bytes = 0;
    FixRecord record;
    for (std::size_t i = 0; i < after.assets.size(); ++i) {
        const Asset& asset = after.assets[i];
        levels += asset.ladder.levels.size();
        laddered += !asset.ladder.empty();
        trimmed += before.assets[i].mesh->triangles - asset.mesh->triangles;
        bytes += bytesOfLevels(asset);
    }
    record.summary = fmt::format(
        "{} levels for {} of {} assets take {}; level 0 {} triangles lighter", levels, laddered,
        after.assets.size(), formatBytes(static_cast<double>(bytes)), formatCount(trimmed));
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
    const auto far = cheapenFarLevels(result.scene, settings, target, quiet);
    if (!far) return fail(ErrorCode::Cancelled, "Making levels was stopped");
    for (Object& object : result.scene.objects)
        object.bounds = transformBox(object.world, result.scene.mesh(object).bounds);
    result.record = describeLadders(scene, result.scene, worth.size());
    describeFarLevels(*far, settings, result.record);
    return result;
}

}  // namespace flentro
