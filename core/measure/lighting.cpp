#include "measure/lighting.h"

#include <algorithm>
#include <cmath>

#include "base/index.h"

namespace flentro {
namespace {

constexpr double kNearest = 0.01;    ///< Metres; nearer surfaces are lit as from there.
constexpr double kBrightest = 1e12;  ///< Candela: files hold any number.
constexpr double kOff = 1e-3;        ///< Of the way: a surface does not shade itself.
const Vec3d kWeights(0.2126, 0.7152, 0.0722);

}  // namespace

double attenuation(double distance, double range) {
    const double d = std::max(distance, kNearest);
    const double share = std::isfinite(range) ? d * d / (range * range) : 0;
    return std::clamp(1 - share * share, 0.0, 1.0) / (d * d);
}

Emitter::Emitter(const Scene& scene, const std::vector<Mat4d>& worlds, const PlacedLight& placed)
    : position_(placed.position), range_(placed.range) {
    const Light& light = elementOf(scene.lights, placed.light);
    type_ = light.type;
    const double candela =
        static_cast<double>(light.intensity) * light.color.cast<double>().dot(kWeights);
    candela_ = candela > 0 ? std::min(candela, kBrightest) : 0;
    const Mat4d& world = elementOf(worlds, placed.node);
    direction_ = -world.block<3, 1>(0, 2).normalized();
    if (!direction_.allFinite()) direction_ = -Vec3d::UnitZ();
    if (type_ != LightType::Spot) return;
    const Json& spot = jsonObject(light.rest, "spot");
    cosInner_ = std::cos(jsonOr(spot, "innerConeAngle", 0.0));
    cosOuter_ = std::cos(jsonOr(spot, "outerConeAngle", kPi / 4));
}

Vec3d Emitter::toLight(const Vec3d& point) const {
    if (isDirectional()) return -direction_;
    const Vec3d way = position_ - point;
    const double length = way.norm();
    return length > 0 ? Vec3d(way / length) : Vec3d(0, 1, 0);
}

double Emitter::distance(const Vec3d& point) const {
    return (position_ - point).norm();
}

LightRay Emitter::rayTo(const Vec3d& point, double farthest) const {
    const Vec3d way = toLight(point);
    const double away = isDirectional() ? farthest : distance(point);
    return {point + way * away, -way, away * (1 - kOff) - 1e-3};
}

double Emitter::coneShare(double cosine) const {
    const double width = std::max(0.001, cosInner_ - cosOuter_);
    const double share = std::clamp((cosine - cosOuter_) / width, 0.0, 1.0);
    return share * share;
}

double Emitter::cone(const Vec3d& point) const {
    return isDirectional() ? 1 : coneShare(-direction_.dot(toLight(point)));
}

double Emitter::lux(const Vec3d& point, const Vec3d& normal, double range) const {
    if (isDirectional()) return candela_ * std::max(0.0, -direction_.dot(normal));
    // Most lights are too far or behind: they are left before the root and the division.
    const Vec3d way = position_ - point;
    const double squared = way.squaredNorm();
    if (squared == 0) return candela_ * attenuation(0, range) * std::max(0.0, normal.y());
    if (squared >= range * range || !(way.dot(normal) > 0)) return 0;
    const double away = std::sqrt(squared);
    return candela_ * coneShare(direction_.dot(way) / -away) * attenuation(away, range) *
           (way.dot(normal) / away);
}

std::vector<Emitter> emittersOf(const Scene& scene) {
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    std::vector<Emitter> emitters;
    for (const PlacedLight& placed : scene.placedLights)
        emitters.emplace_back(scene, worlds, placed);
    return emitters;
}

}  // namespace flentro
