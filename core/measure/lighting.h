// What lights add to surfaces: KHR_lights_punctual, as a renderer would.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

/// 1 / d^2, smoothly cut off at a range as the extension recommends: 0 from there on.
[[nodiscard]] double attenuation(double distance, double range);

/// What a light sends to a point: from it, up to just before the surface there.
struct LightRay {
    Vec3d from = Vec3d::Zero();
    Vec3d direction = Vec3d::UnitZ();  ///< Unit vector.
    double length = 0;                 ///< Metres.
};

/// A placed light with all that its light depends on, in world space.
class Emitter {
public:
    Emitter(const Scene& scene, const std::vector<Mat4d>& worlds, const PlacedLight& placed);

    /// Lux at a point of a surface with this unit normal, if nothing is between; `range` in place
    /// of its own. Brightness is weighed as the eye does (Rec. 709).
    [[nodiscard]] double lux(const Vec3d& point, const Vec3d& normal, double range) const;
    [[nodiscard]] double lux(const Vec3d& point, const Vec3d& normal) const {
        return lux(point, normal, range_);
    }
    /// Unit vector from a point to the light, and how far that is.
    [[nodiscard]] Vec3d toLight(const Vec3d& point) const;
    [[nodiscard]] double distance(const Vec3d& point) const;
    /// From the light, as shadow passes look; directional ones start `farthest` metres away.
    [[nodiscard]] LightRay rayTo(const Vec3d& point, double farthest) const;
    /// What is sent towards a point, of the candela: 1 but outside of a spot's inner cone.
    [[nodiscard]] double cone(const Vec3d& point) const;
    [[nodiscard]] double range() const { return range_; }
    [[nodiscard]] double candela() const { return candela_; }  ///< Or lux of directional ones.
    [[nodiscard]] const Vec3d& position() const { return position_; }
    [[nodiscard]] const Vec3d& direction() const { return direction_; }  ///< Along which it shines.
    /// Of the angles to `direction` up to which it is full, and where it ends; all around: -1, -2.
    [[nodiscard]] double cosInner() const { return cosInner_; }
    [[nodiscard]] double cosOuter() const { return cosOuter_; }
    [[nodiscard]] bool isDirectional() const { return type_ == LightType::Directional; }

private:
    [[nodiscard]] double coneShare(double cosine) const;

    LightType type_;
    Vec3d position_;
    Vec3d direction_;  ///< Unit vector along which it shines.
    double candela_;
    double range_;
    double cosInner_ = -1;
    double cosOuter_ = -2;
};

/// [placed lights]
[[nodiscard]] std::vector<Emitter> emittersOf(const Scene& scene);

}  // namespace flentro
