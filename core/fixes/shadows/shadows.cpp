#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "fixes/shadows/shadows.h"
#include "scene/edit.h"
#include "survey/ray_scene.h"

namespace flentro {
namespace {

constexpr std::size_t kSamples = 24;  ///< Of an object's surface.
constexpr double kPassed = 1.001;     ///< Just behind a surface, in its distance.
constexpr double kNever = std::numeric_limits<double>::infinity();

/// Middles of triangles spread over the mesh, in its own space.
std::vector<Vec3d> samplesOf(const Mesh& mesh) {
    std::vector<Vec3d> samples;
    const std::size_t step = mesh.triangles / kSamples + 1;
    std::size_t next = 0;
    std::size_t first = 0;
    for (const Part& part : mesh.parts) {
        const Stream* positions = part.find("POSITION");
        for (; next < first + part.triangleCount(); next += step) {
            Vec3d sum = Vec3d::Zero();
            for (std::size_t k = 0; k < 3; ++k) {
                const std::uint32_t v = part.indices[3 * (next - first) + k];
                sum +=
                    Vec3d(positions->value(v, 0), positions->value(v, 1), positions->value(v, 2));
            }
            samples.push_back(sum / 3);
        }
        first += part.triangleCount();
    }
    return samples;
}

/// Sizes of shadows on what they fall on, by rays from the lights.
class ShadowCaster {
public:
    /// Errors: Cancelled.
    [[nodiscard]] static Expected<ShadowCaster> build(const Scene& scene, Progress& progress) {
        auto rays = RayScene::build(scene, progress);
        if (!rays) return tl::unexpected(rays.error());
        ShadowCaster caster(scene, std::move(*rays));
        for (const Asset& asset : scene.assets) {
            if (progress.cancelled()) return stopped("Looking at shadows");
            caster.samples_.push_back(samplesOf(*asset.mesh));
        }
        return caster;
    }

    /// Diameter in metres of the largest shadow of an object; 0: nothing shows one. How light or
    /// object move is not known: then the object's size counts.
    [[nodiscard]] double largestShadow(std::uint32_t index) const {
        const Object& object = scene_.objects[index];
        double largest = 0;
        for (const PlacedLight& light : scene_.placedLights) {
            if (!light.castsShadow) continue;
            if (object.bounds.exteriorDistance(light.position) > light.range) continue;
            const bool still =
                !moves(object.node) && !moves(light.node) && std::isfinite(light.range);
            largest = std::max(largest, still ? shadowFrom(light, index) : sizeOf(object));
        }
        return largest;
    }

private:
    ShadowCaster(const Scene& scene, RayScene rays)
        : scene_(scene), rays_(std::move(rays)), moving_(movingNodes(scene)) {}

    [[nodiscard]] bool moves(int node) const { return elementOf(moving_, node); }

    [[nodiscard]] double shadowFrom(const PlacedLight& light, std::uint32_t index) const {
        const Object& object = scene_.objects[index];
        if (object.bounds.contains(light.position)) return sizeOf(object);
        double largest = 0;
        for (const Vec3d& sample : elementOf(samples_, object.asset)) {
            const Vec3d way = transformPoint(object.world, sample) - light.position;
            const double distance = way.norm();
            if (!(distance > 0)) return sizeOf(object);
            const RayHit lit = rays_.first(light.position, way / distance, 0, light.range);
            if (!lit.met() || lit.object != index) continue;
            const auto reached = static_cast<double>(lit.distance);
            const RayHit caught =
                rays_.first(light.position, way / distance, reached * kPassed, light.range);
            if (!caught.met()) continue;
            const double grown = static_cast<double>(caught.distance) / std::max(reached, 1e-6);
            largest = std::max(largest, sizeOf(object) * std::min(grown, light.range / reached));
        }
        return largest;
    }

    const Scene& scene_;
    RayScene rays_;
    std::vector<bool> moving_;
    std::vector<std::vector<Vec3d>> samples_;  ///< [assets]
};

/// Metres at which a light still adds `minLux` to a surface (inverse square law).
double usefulReach(const Scene& scene, const PlacedLight& placed, double minLux) {
    const Light& light = elementOf(scene.lights, placed.light);
    const Vec3f& c = light.color;
    const float brightness = 0.2126F * c.x() + 0.7152F * c.y() + 0.0722F * c.z();
    const auto candela = static_cast<double>(light.intensity * brightness);
    return std::min(placed.range, std::sqrt(std::max(candela, 0.0) / minLux));
}

struct ShadowCounts {
    std::size_t none = 0;
    std::size_t limited = 0;
};

}  // namespace

Expected<Fixed> applyShadows(const Scene& scene, const ShadowSettings& settings,
                             const Target& target, Progress& progress) {
    Fixed result{scene, {}};
    const double perMetre = pixelsPerMetreAtOne(target);
    std::optional<ShadowCaster> caster;
    const bool anyShadows = std::any_of(scene.placedLights.begin(), scene.placedLights.end(),
                                        [](const PlacedLight& light) { return light.castsShadow; });
    if (anyShadows && (settings.shadowPixels > 0 || settings.hiddenCastNone)) {
        auto built = ShadowCaster::build(scene, progress);
        if (!built) return tl::unexpected(built.error());
        caster.emplace(std::move(*built));
    }
    const bool finished =
        !caster ||
        parallelFor(scene.objects.size(), "Looking at shadows", progress, [&](std::size_t i) {
            Object& object = result.scene.objects[i];
            const Asset& asset = scene.asset(object);
            if (!object.castsShadow || asset.importance == Importance::Keep) return;
            const double shadow = caster->largestShadow(static_cast<std::uint32_t>(i));
            if (shadow == 0 && settings.hiddenCastNone) object.castsShadow = false;
            const double pixels = settings.shadowPixels * errorScale(asset.importance);
            double end = pixels > 0 && shadow > 0 ? shadow * perMetre / pixels : kNever;
            const auto change = settings.overrides.find(asset.mesh->name);
            if (change != settings.overrides.end()) end = change->second;
            if (end < target.farPlane) object.culling.shadowEnd = end;
        });
    if (!finished) return stopped("Looking at shadows");
    std::size_t lights = 0;
    std::size_t useless = 0;
    for (PlacedLight& light : result.scene.placedLights) {
        const Light& kind = elementOf(scene.lights, light.light);
        if (settings.lightPixels <= 0 || kind.type == LightType::Directional) continue;
        const double reach = usefulReach(scene, light, settings.minLux);
        useless += reach < 0.5 * light.range;
        const double end = 2 * reach * perMetre / settings.lightPixels;
        if (!(end < std::min(target.farPlane, light.end))) continue;
        light.end = end;
        light.fadeStart = end * (1 - settings.fade);
        ++lights;
    }
    ShadowCounts shadows;
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = result.scene.objects[i];
        shadows.none += scene.objects[i].castsShadow && !object.castsShadow;
        shadows.limited += object.castsShadow && std::isfinite(object.culling.shadowEnd);
    }
    const std::size_t objects = scene.objects.size();
    result.record.summary =
        listDone({{shadows.none, countOf(shadows.none, objects, "object") +
                                     " cast no shadow that falls on anything"},
                  {shadows.limited,
                   countOf(shadows.limited, objects, "object") + " cast one up to a distance"},
                  {lights, countOf(lights, scene.placedLights.size(), "light") + " fade out"}},
                 "Shadows and lights stay as they are");
    if (!anyShadows)
        result.record.notes.emplace_back(
            "Shadows stay as they are: no light of the scene says that it casts any "
            "(extras.castsShadow; glTF has no word for it)");
    if (useless > 0)
        result.record.notes.push_back(
            fmt::format("{} a range of more than twice what is lit by {} lux",
                        counted(useless, "light has", "lights have"), settings.minLux));
    return result;
}

}  // namespace flentro
