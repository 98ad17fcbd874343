#include "fixes/culling/culling.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/unshown_levels.h"
#include "measure/viewcost.h"
#include "scene/blending.h"
#include "scene/origins.h"
#include "scene/own_extras.h"
#include "survey/ray_scene.h"

namespace flentro {
namespace {

/// What a survey saw of a thing in part only may show more of itself elsewhere.
constexpr double kMinOfBounds = 0.35;

constexpr std::size_t kSkylinePlaces = 6;  ///< That are asked for one object.
constexpr double kSkySize = 0.5;           ///< Of the scene: what is larger may be a sky.
constexpr double kSkyAway = 3;             ///< Times as far as the object.
constexpr std::size_t kMaxLosses = 50;

/// Rounding that is none, as a share.
constexpr double kSame = 1 - 1e-9;

/// The distance at which pixels times the contrast that fog leaves are as many as the pixels at
/// `distance` without it. Contrast falls evenly between both ends of the fog.
double inFog(const CullingSettings& settings, double distance) {
    const double depth = settings.fogEnd - settings.fogStart;
    if (!(settings.fogEnd > 0) || !(depth > 0) || distance <= settings.fogStart) return distance;
    return distance * settings.fogEnd / (distance + depth);
}

/// As cullingDistance(), not rounded.
double distanceOf(const CullingSettings& settings, const Target& target, double size,
                  Importance importance) {
    const double farthest = farthestDrawn(settings, target);
    for (const SizeClass& sizeClass : settings.classes) {
        if (size > sizeClass.largest) continue;
        const double pixels = sizeClass.pixels * errorScale(importance);
        if (pixels <= 0) return farthest;
        return std::min(farthest, inFog(settings, size * pixelsPerMetreAtOne(target) / pixels));
    }
    return farthest;
}

/// Told to engines that read the document.
void noteFarPlane(Scene& scene, double distance) {
    if (Json* ours = ownExtrasIn(scene.rest)) (*ours)["farPlane"] = distance;
}

/// [origins] The places that see each.
std::vector<std::vector<std::uint32_t>> placesByOrigin(const Evidence& evidence,
                                                       std::size_t origins) {
    std::vector<std::vector<std::uint32_t>> places(origins);
    for (std::uint32_t p = 0; p < evidence.places.size(); ++p)
        for (const Evidence::VisibilitySample& seen : evidence.places[p].seen)
            places[seen.origin].push_back(p);
    return places;
}

/// Finds what stands against the sky, by rays through it from places that see it.
class Skyline {
public:
    Skyline(const Scene& scene, const Evidence& evidence, RayScene rays)
        : scene_(scene),
          evidence_(evidence),
          rays_(std::move(rays)),
          places_(placesByOrigin(evidence, scene.originNames->size())),
          skySize_(kSkySize * scene.bounds().diagonal().norm()) {}

    [[nodiscard]] bool holds(const Object& object) const {
        std::size_t asked = 0;
        std::size_t sky = 0;
        for (const std::uint32_t origin : object.origins) {
            const auto& places = places_[origin];
            const std::size_t step = places.size() / kSkylinePlaces + 1;
            for (std::size_t i = 0; i < places.size(); i += step, ++asked)
                sky += hasSkyBehind(object, evidence_.places[places[i]].eye);
        }
        return 2 * sky > asked;
    }

private:
    [[nodiscard]] bool hasSkyBehind(const Object& object, const Vec3d& eye) const {
        const Vec3d way = object.bounds.center() - eye;
        const double distance = way.norm();
        if (!(distance > 0)) return false;
        const double behind = distance + 0.5 * object.bounds.diagonal().norm();
        const RayHit hit = rays_.first(eye, way / distance, behind);
        if (!hit.met()) return true;
        return static_cast<double>(hit.distance) > kSkyAway * distance &&
               scene_.objects[hit.object].bounds.diagonal().norm() > skySize_;
    }

    const Scene& scene_;
    const Evidence& evidence_;
    const RayScene rays_;
    const std::vector<std::vector<std::uint32_t>> places_;
    const double skySize_;
};

/// Tells from where an origin is shown by any object, as drawing decides it: by the bounds.
class Shown {
public:
    explicit Shown(const Scene& scene) : scene_(scene), map_(scene) {}
    [[nodiscard]] bool from(const Vec3d& eye, std::uint32_t origin) const {
        const auto objects = map_.shownBy(origin);
        return std::any_of(objects.begin(), objects.end(), [&](std::uint32_t object) {
            return isThere(scene_, scene_.objects[object], eye);
        });
    }

private:
    const Scene& scene_;
    OriginMap map_;
};

/// What places saw and no longer would.
struct Losses {
    std::vector<VisibleLoss> each;  ///< Most pixels first.
    double worst = 0;               ///< The most that one place loses, pixels.
};

Losses lossesOf(const Scene& before, const Scene& after, const Evidence& evidence) {
    const Shown shownBefore(before);
    const Shown shownAfter(after);
    Losses losses;
    std::vector<VisibleLoss> all(after.originNames->size());
    for (const Evidence::Place& place : evidence.places) {
        double lost = 0;
        for (const Evidence::VisibilitySample& seen : place.seen) {
            if (shownAfter.from(place.eye, seen.origin) ||
                !shownBefore.from(place.eye, seen.origin))
                continue;
            const auto pixels = static_cast<double>(seen.pixels);
            VisibleLoss& entry = all[seen.origin];
            entry.origin = seen.origin;
            ++entry.spots;
            entry.pixels = std::max(entry.pixels, pixels);
            lost += pixels;
        }
        losses.worst = std::max(losses.worst, lost);
    }
    std::erase_if(all, [](const VisibleLoss& v) { return v.spots == 0; });
    std::stable_sort(all.begin(), all.end(), [](const VisibleLoss& a, const VisibleLoss& b) {
        return a.pixels > b.pixels;
    });
    losses.each = std::move(all);
    return losses;
}

void describeLosses(const Scene& before, const Evidence& evidence, Fixed& result) {
    FixRecord& record = result.record;
    Losses found = lossesOf(before, result.scene, evidence);
    std::vector<VisibleLoss>& losses = found.each;
    if (losses.empty()) {
        record.notes.emplace_back("Nothing goes that any spot has seen");
        return;
    }
    const VisibleLoss& worst = losses.front();
    record.notes.push_back(fmt::format(
        "{} from spots that saw them, at most {:.0f} pixels of {} and {:.0f} in all from one spot",
        counted(losses.size(), "object goes", "objects go"), worst.pixels,
        (*before.originNames)[worst.origin], found.worst));
    if (losses.size() > kMaxLosses) losses.resize(kMaxLosses);
    auto report = std::make_shared<CullingReport>();
    report->losses = std::move(losses);
    record.report = std::move(report);
}

}  // namespace

double sizeOf(const Object& object) {
    return object.bounds.isEmpty() ? 0 : object.bounds.diagonal().norm();
}

double farthestDrawn(const CullingSettings& settings, const Target& target) {
    const double plane =
        settings.farPlane > 0 ? std::min(settings.farPlane, target.farPlane) : target.farPlane;
    const double farthest = plane * (1 - settings.margin);
    return settings.fogEnd > 0 ? std::min(farthest, settings.fogEnd) : farthest;
}

double roundedUp(double distance) {
    if (!(distance > 0) || !std::isfinite(distance)) return distance;
    constexpr double kSteps[] = {1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10};
    const double power = std::pow(10, std::floor(std::log10(distance)));
    for (const double step : kSteps)
        if (step * power >= distance * kSame) return step * power;
    return 10 * power;
}

double cullingDistance(const CullingSettings& settings, const Target& target, double size,
                       Importance importance) {
    const double farthest = farthestDrawn(settings, target);
    const double end = distanceOf(settings, target, size, importance);
    return settings.rounded && end < farthest ? std::min(farthest, roundedUp(end)) : end;
}

std::vector<double> cullingSizes(const Scene& scene, const CullingSettings& settings,
                                 const Target& target, const Evidence& evidence) {
    std::vector<double> seen;
    if (settings.bySeen && scene.originNames)
        seen = seenSizes(evidence, scene.originNames->size(), pixelsPerMetreAtOne(target));
    std::vector<double> sizes;
    for (const Object& object : scene.objects) {
        const double bounds = sizeOf(object);
        double most = 0;
        for (const std::uint32_t origin : object.origins)
            if (!seen.empty()) most = std::max(most, seen[origin]);
        sizes.push_back(most > 0 ? std::clamp(most, kMinOfBounds * bounds, bounds) : bounds);
    }
    return sizes;
}

Expected<Fixed> applyCulling(const Scene& scene, const CullingSettings& settings,
                             const Target& target, const Evidence& evidence, Progress& progress) {
    Fixed result{scene, {}};
    const double farthest = farthestDrawn(settings, target);
    const std::vector<double> sizes = cullingSizes(scene, settings, target, evidence);
    std::optional<Skyline> skyline;
    if (!evidence.empty() && settings.skyline > 1) {
        auto rays = RayScene::build(scene, progress);
        if (!rays) return tl::unexpected(rays.error());
        skyline.emplace(scene, evidence, std::move(*rays));
    }
    const bool finished =
        parallelFor(scene.objects.size(), "Culling", progress, [&](std::size_t i) {
            Object& object = result.scene.objects[i];
            const Asset& asset = scene.asset(object);
            double end = distanceOf(settings, target, sizes[i], asset.importance);
            if (isTransparent(scene, *asset.mesh)) end *= settings.transparent;
            if (end < farthest && skyline && skyline->holds(object)) end *= settings.skyline;
            if (settings.rounded && end < farthest) end = roundedUp(end);
            const auto change = settings.overrides.find(asset.mesh->name);
            if (change != settings.overrides.end()) end = change->second;
            end = std::min(end, farthest);
            object.culling.fadeStart = end * (1 - settings.fade);
            object.culling.end = end;
        });
    if (!finished) return stopped("Culling");
    if (settings.farPlane > 0 && settings.farPlane < target.farPlane)
        noteFarPlane(result.scene, settings.farPlane);
    const std::size_t unshown = dropUnshownLevels(result.scene, target);
    const auto bySize =
        std::count_if(result.scene.objects.begin(), result.scene.objects.end(),
                      [&](const Object& object) { return object.culling.end < farthest; });
    result.record.summary =
        countOf(static_cast<std::size_t>(bySize), scene.objects.size(), "object") +
        " go before the far plane, by their size on screen";
    if (unshown > 0)
        result.record.notes.push_back(
            fmt::format("{} that would show only beyond these distances {} taken away",
                        counted(unshown, "level"), unshown == 1 ? "is" : "are"));
    if (!evidence.empty()) describeLosses(scene, evidence, result);
    return result;
}

}  // namespace flentro
