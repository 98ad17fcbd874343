#include "measure/stress_yard.h"

#include <algorithm>
#include <cmath>

namespace flentro {
namespace {

constexpr double kApart = 1.25;    ///< Of the longer horizontal edge.
constexpr double kPitch = -28;     ///< Degrees.
constexpr double kFarthest = 1e6;  ///< Metres; the search for a place ends there.

Asset alone(const MeshPtr& mesh) {
    Asset asset;
    asset.mesh = mesh;
    return asset;
}

bool holdsAll(const Scene& yard, const Target& target, const Viewpoint& view) {
    Projection projection = target.projection();
    projection.farPlane = kFarthest * 4;
    const Frustum frustum(view, projection);
    return std::all_of(yard.objects.begin(), yard.objects.end(), [&](const Object& object) {
        return frustum.sideOf(object.bounds.center(), 0.5 * object.bounds.sizes()) ==
               Frustum::Side::Inside;
    });
}

}  // namespace

std::vector<YardVariant> yardVariants(const Asset& asset, const MeshPtr& original) {
    std::vector<YardVariant> variants;
    if (original && original->hash != asset.mesh->hash)
        variants.push_back({"as imported", alone(original)});
    for (std::size_t level = 0; level < asset.levelCount(); ++level)
        variants.push_back({"LOD " + std::to_string(level), alone(asset.level(level))});
    if (!asset.ladder.empty()) variants.push_back({"levels by distance", asset});
    return variants;
}

Scene makeYard(const Scene& from, const Asset& asset, std::size_t copies) {
    Scene yard;
    yard.materials = from.materials;
    yard.textures = from.textures;
    yard.samplers = from.samplers;
    yard.images = from.images;
    yard.assets = {asset};
    yard.nodes.resize(1);
    const Box& bounds = asset.mesh->bounds;
    if (bounds.isEmpty()) return yard;
    const auto rows = static_cast<std::size_t>(
        std::ceil(std::sqrt(static_cast<double>(std::max<std::size_t>(copies, 1)))));
    const double pitch = kApart * std::max({bounds.sizes().x(), bounds.sizes().z(), 1e-6});
    for (std::size_t i = 0; i < copies; ++i) {
        Object object;
        object.name = asset.mesh->name + " " + std::to_string(i + 1);
        object.node = 0;
        object.asset = 0;
        object.castsShadow = false;
        const auto [row, column] = std::pair(i / rows, i % rows);
        object.world(0, 3) = pitch * static_cast<double>(column);
        object.world(2, 3) = -pitch * static_cast<double>(row);
        object.bounds = transformBox(object.world, bounds);
        yard.objects.push_back(std::move(object));
    }
    return yard;
}

Viewpoint yardView(const Scene& yard, const Target& target) {
    Viewpoint view;
    const Box bounds = yard.bounds();
    if (bounds.isEmpty()) return view;
    view.pitch = kPitch;
    const Vec3d ahead = lookDirection(view.heading, view.pitch);
    // The nearest place, to a few percent, from which everything is in view.
    double near = 0;
    double far = bounds.diagonal().norm();
    const auto standAt = [&](double away) { view.eye = bounds.center() - away * ahead; };
    for (standAt(far); far < kFarthest && !holdsAll(yard, target, view); standAt(far)) far *= 2;
    for (int i = 0; i < 12; ++i) {
        const double middle = (near + far) / 2;
        standAt(middle);
        (holdsAll(yard, target, view) ? far : near) = middle;
    }
    standAt(far);
    return view;
}

}  // namespace flentro
