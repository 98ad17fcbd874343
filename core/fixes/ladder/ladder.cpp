#include "fixes/ladder/ladder.h"

#include <fmt/format.h>

#include <algorithm>
#include <optional>

#include "base/cancel_only.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/far_levels.h"
#include "fixes/ladder/ladder_maker.h"
#include "fixes/shared_borders.h"
#include "fixes/unshown_levels.h"
#include "scene/poses.h"

namespace flentro {
namespace {

constexpr double kLeastNearest = 0.01;  ///< Metres: the least that the setting takes.

/// Distances by hand, also of a last level of cards; those that are not given keep behind them.
void applyOverride(Ladder& ladder, const LadderOverride& change) {
    constexpr double kStep = 1.05;
    double least = 0;
    for (std::size_t i = 0; i < ladder.levels.size(); ++i) {
        double& distance = ladder.levels[i].switchDistance;
        if (i < change.switchDistances.size()) distance = change.switchDistances[i];
        if (i > 0 && distance <= least) distance = least * kStep;
        least = distance;
    }
    ladder.caps = change.caps;
    ladder.crowd = change.crowd;
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
    // The heaviest first, so that all cores finish at about the same time.
    std::stable_sort(worth.begin(), worth.end(), [&](std::size_t a, std::size_t b) {
        return scene.assets[a].mesh->triangles > scene.assets[b].mesh->triangles;
    });
    return worth;
}

/// [assets] Last levels that stay though hardly any place draws them: all where distances were set
/// by hand, and the cards that were asked for.
std::vector<std::size_t> levelsKept(const Scene& scene, const LadderSettings& settings) {
    std::vector<std::size_t> kept;
    for (const Asset& asset : scene.assets) {
        const auto change = settings.overrides.find(asset.mesh->name);
        const bool isByHand =
            change != settings.overrides.end() && !change->second.switchDistances.empty();
        kept.push_back(isByHand                  ? asset.ladder.levels.size()
                       : settings.cardPixels > 0 ? std::size_t{1}
                                                 : std::size_t{0});
    }
    return kept;
}

/// What bones do with the asset while its animations play.
std::vector<PoseMesh> posesOf(const Scene& scene, std::size_t asset) {
    constexpr std::size_t kPoses = 8;
    std::vector<PoseMesh> poses;
    for (Pose& pose : samplePoses(scene, static_cast<int>(asset), kPoses))
        poses.emplace_back(
            [pose = std::move(pose)](const Mesh& mesh) { return posed(mesh, pose); });
    return poses;
}

/// Bytes that the levels add to those of level 0.
std::size_t bytesOfLevels(const Asset& asset) {
    std::size_t bytes = 0;
    for (const Ladder::Level& level : asset.ladder.levels)
        for (const Part& part : level.mesh->parts) {
            bytes += part.indices.size() * indexSize(part.vertexCount());
            for (const Attribute& attribute : part.attributes)
                if (!isBeginningOf(*attribute.stream, *asset.mesh))
                    bytes += attribute.stream->data.size();
        }
    return bytes;
}

void describeFarLevels(const FarLevels& far, const LadderSettings& settings, FixRecord& record) {
    if (settings.plainFromLevel > 0)
        record.notes.push_back(
            fmt::format("{} cheaper materials", counted(far.plain, "level has", "levels have")));
    if (settings.singlePartFromLevel > 0)
        record.notes.push_back(fmt::format("{} one part in the colours of their vertices",
                                           counted(far.onePart, "level became", "levels became")));
    if (settings.cardPixels > 0)
        record.notes.push_back(
            fmt::format("{} in crossed cards; those of {} would look too different",
                        counted(far.cards, "asset ends", "assets end"), far.refused));
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
    record.summary =
        fmt::format("{} for {} of {} take {}", counted(levels, "level"), laddered,
                    counted(after.assets.size(), "asset"), formatBytes(static_cast<double>(bytes)));
    if (trimmed > 0)
        record.summary += fmt::format("; level 0 is {} lighter", counted(trimmed, "triangle"));
    if (laddered < worth)
        record.notes.push_back(
            fmt::format("{} not be reduced: borders of materials and edges of more than two "
                        "triangles hold them",
                        counted(worth - laddered, "asset could", "assets could")));
    return record;
}

}  // namespace

Expected<Fixed> applyLadder(const Scene& scene, const LadderSettings& settings,
                            const Target& target, Progress& progress, const Evidence& evidence) {
    const std::vector<double> nearest = nearestDrawn(scene, target, evidence);
    const std::vector<std::size_t> worth = assetsWorthIt(scene, settings);
    std::vector<Expected<Asset>> made(worth.size());
    const auto locked = settings.keepSharedBorders
                            ? findSharedBorders(scene)
                            : std::vector<std::vector<std::vector<bool>>>(scene.assets.size());
    CancelOnly quiet(progress);
    double total = 0;
    for (const std::size_t i : worth) total += static_cast<double>(scene.assets[i].mesh->triangles);
    std::atomic<double> done = 0;
    const bool finished = parallelFor(worth.size(), "Making levels", quiet, [&](std::size_t i) {
        const Asset& asset = scene.assets[worth[i]];
        const double from = std::min(settings.nearest, std::max(nearest[worth[i]], kLeastNearest));
        made[i] = LadderMaker(asset, settings, from, target, locked[worth[i]],
                              posesOf(scene, worth[i]), quiet)
                      .run();
        done += static_cast<double>(asset.mesh->triangles);
        progress.report(done / total, "Making levels: " + asset.mesh->name);
    });
    if (!finished) return stopped("Making levels");
    Fixed result{scene, {}};
    for (std::size_t i = 0; i < worth.size(); ++i) {
        Asset& asset = result.scene.assets[worth[i]];
        if (!made[i]) return tl::unexpected(made[i].error());
        asset = std::move(*made[i]);
    }
    const auto far = cheapenFarLevels(result.scene, settings, target, quiet);
    if (!far) return tl::unexpected(far.error());
    for (const std::size_t i : worth) {
        Asset& asset = result.scene.assets[i];
        const auto change = settings.overrides.find(asset.mesh->name);
        if (change != settings.overrides.end()) applyOverride(asset.ladder, change->second);
    }
    const std::size_t unshown = dropUnshownLevels(result.scene, target);
    const std::size_t rare = dropRareLevels(result.scene, target, evidence, settings.minShown,
                                            levelsKept(result.scene, settings));
    for (Object& object : result.scene.objects)
        object.bounds = transformBox(object.world, result.scene.mesh(object).bounds);
    result.record = describeLadders(scene, result.scene, worth.size());
    describeFarLevels(*far, settings, result.record);
    if (unshown > 0)
        result.record.notes.push_back(
            fmt::format("{} that would show only beyond the far plane or the culling distance "
                        "{} not made",
                        counted(unshown, "level"), unshown == 1 ? "is" : "are"));
    if (rare > 0)
        result.record.notes.push_back(fmt::format(
            "{} that less than {} of the surveyed places would draw {} not made",
            counted(rare, "level"), formatShare(settings.minShown), rare == 1 ? "is" : "are"));
    return result;
}

}  // namespace flentro
