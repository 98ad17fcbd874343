#include "measure/lighting.h"

#include <algorithm>
#include <cmath>

namespace flentro {
namespace {

constexpr double kNearest = 0.01;    ///< Metres; nearer surfaces are lit as from there.
constexpr double kBrightest = 1e12;  ///< Candela: files hold any number.
const Vec3d kWeights(0.2126, 0.7152, 0.0722);

}  // namespace

double attenuation(double distance, double range) {
    const double d = std::max(distance, kNearest);
    const double share = std::isfinite(range) ? d * d / (range * range) : 0;
    return std::clamp(1 - share * share, 0.0, 1.0) / (d * d);
}

Emitter::Emitter(const Scene& scene, const std::vector<Mat4d>& worlds, const PlacedLight& placed)
    : position_(placed.position), range_(placed.range) {
    const Light& light = scene.lights[static_cast<std::size_t>(placed.light)];
    type_ = light.type;
    const double candela =
        static_cast<double>(light.intensity) * light.color.cast<double>().dot(kWeights);
    candela_ = candela > 0 ? std::min(candela, kBrightest) : 0;
    const Mat4d& world = worlds[static_cast<std::size_t>(placed.node)];
    direction_ = -world.block<3, 1>(0, 2).normalized();
    if (!direction_.allFinite()) direction_ = -Vec3d::UnitZ();
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

double Emitter::lux(const Vec3d& point, const Vec3d& normal, double range) const {
    const Vec3d way = toLight(point);
    const double facing = way.dot(normal);
    if (!(facing > 0)) return 0;
    if (isDirectional()) return candela_ * facing;
    double cone = 1;
    if (type_ == LightType::Spot) {
        const double width = std::max(0.001, cosInner_ - cosOuter_);
        cone = std::clamp((direction_.dot(-way) - cosOuter_) / width, 0.0, 1.0);
    }
    return candela_ * cone * cone * attenuation(distance(point), range) * facing;
}

std::vector<Emitter> emittersOf(const Scene& scene) {
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    std::vector<Emitter> emitters;
    for (const PlacedLight& placed : scene.placedLights)
        emitters.emplace_back(scene, worlds, placed);
    return emitters;
}

}  // namespace flentro
