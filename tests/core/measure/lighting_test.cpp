// What lights add to surfaces, by numbers that can be checked on paper (KHR_lights_punctual).

#include "measure/lighting.h"

#include <gtest/gtest.h>

#include <cmath>

#include "measure/lights_on_objects.h"
#include "support/lights.h"

namespace flentro {
namespace {

const double kEndless = std::numeric_limits<double>::infinity();

TEST(Attenuation, IsTheInverseSquareWithoutARange) {
    EXPECT_DOUBLE_EQ(attenuation(1, kEndless), 1);
    EXPECT_DOUBLE_EQ(attenuation(4, kEndless), 1.0 / 16);
}

TEST(Attenuation, EndsSmoothlyAtTheRange) {
    EXPECT_DOUBLE_EQ(attenuation(5, 10), (1 - std::pow(0.5, 4)) / 25);
    EXPECT_EQ(attenuation(10, 10), 0);
    EXPECT_EQ(attenuation(12, 10), 0);
    EXPECT_GT(attenuation(9.99, 10), 0);
}

TEST(Attenuation, StaysFiniteAtTheLight) {
    EXPECT_TRUE(std::isfinite(attenuation(0, 10)));
    EXPECT_EQ(attenuation(0, 10), attenuation(0.005, 10)) << "as from a centimetre away";
}

/// One light at (0, 5, 0), white, of 50 candela.
Scene oneLight(LightType type, const Json& rest = Json::object()) {
    Scene scene = test::groundWith({}, {{{0, 5, 0}, 50, 20}});
    scene.lights[0].type = type;
    scene.lights[0].rest.update(rest);
    return scene;
}

TEST(Emitter, LightsASurfaceByDistanceAndAngle) {
    const Scene scene = oneLight(LightType::Point);
    const Emitter lamp = emittersOf(scene)[0];
    // Right below it, and 5 m to the side, where light falls in at 45 degrees.
    EXPECT_NEAR(lamp.lux({0, 0, 0}, Vec3d::UnitY()), 50 * attenuation(5, 20), 1e-9);
    EXPECT_NEAR(lamp.lux({5, 0, 0}, Vec3d::UnitY()),
                50 * attenuation(std::sqrt(50), 20) * std::sqrt(0.5), 1e-9);
    EXPECT_EQ(lamp.lux({0, 0, 0}, -Vec3d::UnitY()), 0) << "from behind";
    EXPECT_EQ(lamp.lux({0, -16, 0}, Vec3d::UnitY()), 0) << "beyond the range";
    EXPECT_GT(lamp.lux({0, -16, 0}, Vec3d::UnitY(), 40), 0) << "with a longer one";
}

TEST(Emitter, WeighsColoursAsTheEyeDoes) {
    Scene scene = oneLight(LightType::Point);
    scene.lights[0].color = {0, 1, 0};
    const double green = emittersOf(scene)[0].candela();
    scene.lights[0].color = {0, 0, 1};
    const double blue = emittersOf(scene)[0].candela();
    EXPECT_NEAR(green, 50 * 0.7152, 1e-6);
    EXPECT_NEAR(blue, 50 * 0.0722, 1e-6);
}

TEST(Emitter, SpotsEndAtTheirCone) {
    // Turned to shine down: -Z becomes -Y.
    Scene scene =
        oneLight(LightType::Spot, {{"spot", {{"innerConeAngle", 0.2}, {"outerConeAngle", 0.5}}}});
    Node& node = scene.nodes.back();
    node.local.block<3, 1>(0, 2) = Vec3d::UnitY();
    node.local.block<3, 1>(0, 1) = -Vec3d::UnitZ();
    const Emitter spot = emittersOf(scene)[0];
    const auto at = [&](double degrees) {
        return spot.lux({5 * std::tan(degrees), 0, 0}, Vec3d::UnitY());
    };
    EXPECT_NEAR(at(0), 50 * attenuation(5, 20), 1e-9);
    EXPECT_GT(at(0.19), 0.8 * at(0) * std::pow(std::cos(0.19), 3));
    EXPECT_GT(at(0.35), 0);
    EXPECT_LT(at(0.35), 0.5 * at(0));
    EXPECT_EQ(at(0.51), 0);
}

TEST(Emitter, TheSunIsAsBrightEverywhere) {
    Scene scene = oneLight(LightType::Directional);
    scene.nodes.back().local.block<3, 1>(0, 2) = Vec3d::UnitY();
    scene.nodes.back().local.block<3, 1>(0, 1) = -Vec3d::UnitZ();
    const Emitter sun = emittersOf(scene)[0];
    EXPECT_NEAR(sun.lux({0, 0, 0}, Vec3d::UnitY()), 50, 1e-9);
    EXPECT_EQ(sun.lux({900, -400, 3}, Vec3d::UnitY()), sun.lux({0, 0, 0}, Vec3d::UnitY()));
    const LightRay ray = sun.rayTo({1, 2, 3}, 100);
    EXPECT_NEAR((ray.from - Vec3d(1, 102, 3)).norm(), 0, 1e-9);
    EXPECT_NEAR((ray.direction + Vec3d::UnitY()).norm(), 0, 1e-9);
}

TEST(Emitter, RaysEndJustBeforeTheSurface) {
    const Scene scene = oneLight(LightType::Point);
    const LightRay ray = emittersOf(scene)[0].rayTo({0, 0, 0}, 100);
    EXPECT_NEAR((ray.from - Vec3d(0, 5, 0)).norm(), 0, 1e-9);
    EXPECT_LT(ray.length, 5);
    EXPECT_GT(ray.length, 4.98);
}

TEST(Emitter, NegativeAndVastIntensitiesDoNoHarm) {
    Scene scene = oneLight(LightType::Point);
    scene.lights[0].intensity = -3;
    EXPECT_EQ(emittersOf(scene)[0].lux({0, 0, 0}, Vec3d::UnitY()), 0);
    scene.lights[0].intensity = std::numeric_limits<float>::max();
    EXPECT_TRUE(std::isfinite(emittersOf(scene)[0].lux({0, 5, 0}, Vec3d::UnitY())));
}

TEST(LightsOnObjects, AreThoseWhoseRangeMeetsTheBounds) {
    const Scene scene = test::groundWith(
        {{test::makeBox({2, 2, 2}), {10, 1, 0}}, {test::makeBox({2, 2, 2}), {-10, 1, 0}}},
        {{{0, 1, 0}, 10, 9.5}, {{6, 1, 0}, 10, 3.5}, {{0, 100, 0}, 10, 5}});
    const auto lights = lightsOnObjects(scene);
    EXPECT_EQ(lights[0], (std::vector<std::uint32_t>{0, 1})) << "the ground";
    EXPECT_EQ(lights[1], (std::vector<std::uint32_t>{0, 1})) << "9 and 3 m to its side";
    EXPECT_EQ(lights[2], (std::vector<std::uint32_t>{0}));
}

}  // namespace
}  // namespace flentro
