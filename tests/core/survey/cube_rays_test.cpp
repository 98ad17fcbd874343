// The rays of a spot, lights by cells, distances in bins.

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "support/lights.h"
#include "survey/look.h"

namespace flentro {
namespace {

const Target& display() {
    static const Target target = test::surveyDisplay();
    return target;
}

/// Calls visit(direction, pixels, views) for every ray.
template <typename Visit>
void forEachRay(std::span<const CubeRays::Packet> packets, const Visit& visit) {
    for (const CubeRays::Packet& packet : packets)
        for (int lane = 0; lane < RayPacket::kLanes; ++lane) {
            if (packet.rays.valid[lane] == 0) continue;
            const auto i = static_cast<std::size_t>(lane);
            visit(Vec3d(packet.rays.x[lane], packet.rays.y[lane], packet.rays.z[lane]),
                  static_cast<double>(packet.pixels[i]), packet.views[i]);
        }
}

std::vector<Viewpoint> fourViews() {
    return allAround(Vec3d::Zero(), 4, 0);
}

TEST(CubeRays, StandForAllPixelsAroundTheEye) {
    const CubeRays cube(64, display(), fourViews(), false);
    std::size_t rays = 0;
    double pixels = 0;
    forEachRay(cube.packets(), [&](const Vec3d& direction, double stands, std::uint16_t) {
        ++rays;
        pixels += stands;
        EXPECT_NEAR(direction.norm(), 1, 1e-5);
    });
    EXPECT_EQ(rays, 6U * 64 * 64);
    const double perMetre = pixelsPerMetreAtOne(display());
    EXPECT_NEAR(pixels / (perMetre * perMetre), 4 * kPi, 0.01);
}

TEST(CubeRays, KnowTheViewsTheyLieIn) {
    const CubeRays cube(64, display(), fourViews(), false);
    std::array<double, 4> solid{};
    const double perMetre = pixelsPerMetreAtOne(display());
    forEachRay(cube.packets(), [&](const Vec3d& direction, double stands, std::uint16_t views) {
        for (std::size_t v = 0; v < 4; ++v) {
            if ((views >> v & 1) == 0) continue;
            solid[v] += stands / (perMetre * perMetre);
            EXPECT_GT(direction.dot(lookDirection(90.0 * static_cast<double>(v), 0)), 0.5);
        }
    });
    // Solid angle of a pyramid (Van Oosterom and Strackee 1983 for rectangles).
    const double up = std::tan(toRadians(display().verticalFov) / 2);
    const double across = up * display().projection().aspect;
    const double expected =
        4 * std::asin(up * across / std::sqrt((1 + up * up) * (1 + across * across)));
    for (const double angle : solid) EXPECT_NEAR(angle, expected, 0.02 * expected);
}

TEST(CubeRays, AreOnlyThoseInViewsWhereNobodyElseLooks) {
    const std::vector<Viewpoint> north = {{Vec3d::Zero(), 0, 0}};
    const CubeRays cube(64, display(), north, true);
    std::size_t rays = 0;
    forEachRay(cube.packets(), [&](const Vec3d&, double, std::uint16_t views) {
        ++rays;
        EXPECT_EQ(views, 1);
    });
    EXPECT_GT(rays, 0U);
    EXPECT_LT(rays, 6U * 64 * 64 / 3);
}

TEST(CubeRays, EveryDirectionHasAPlaceInThePicture) {
    const CubeRays cube(32, display(), fourViews(), false);
    std::mt19937 random(5);
    for (int i = 0; i < 500; ++i) {
        const Vec3d direction(static_cast<double>(random() % 2001) - 1000,
                              static_cast<double>(random() % 2001) - 1000,
                              static_cast<double>(random() % 2001) - 999.5);
        const std::size_t index = cube.pictureIndex(direction);
        EXPECT_LT(index, 6U * 32 * 32);
        EXPECT_EQ(cube.pictureIndex(7 * direction), index) << "whatever its length";
    }
    EXPECT_NE(cube.pictureIndex(Vec3d::UnitX()) / (32 * 32),
              cube.pictureIndex(-Vec3d::UnitX()) / (32 * 32))
        << "another face";
}

TEST(CubeRays, LayersAreCountedBySparseOnesAllAround) {
    const CubeRays cube(64, display(), fourViews(), false);
    double pixels = 0;
    std::size_t rays = 0;
    forEachRay(cube.layerPackets(), [&](const Vec3d&, double stands, std::uint16_t) {
        ++rays;
        pixels += stands;
    });
    EXPECT_EQ(rays, 864U);
    const double perMetre = pixelsPerMetreAtOne(display());
    EXPECT_NEAR(pixels / (perMetre * perMetre), 4 * kPi, 0.02 * 4 * kPi);
}

TEST(LightCells, HoldEveryLightWhoseRangeHoldsThePoint) {
    std::mt19937 random(9);
    const auto within = [&](double reach) {
        return (static_cast<double>(random() % 10000) / 5000 - 1) * reach;
    };
    std::vector<test::Lamp> lamps;
    for (int i = 0; i < 60; ++i)
        lamps.push_back(
            {{within(50), within(10), within(50)}, 10, static_cast<float>(1 + random() % 12)});
    const Scene scene = test::groundWith({}, lamps);
    const LightCells cells(scene);
    for (int i = 0; i < 400; ++i) {
        const Vec3d point(within(60), within(12), within(60));
        const auto near = cells.near(point);
        for (std::uint32_t l = 0; l < scene.placedLights.size(); ++l) {
            const PlacedLight& light = scene.placedLights[l];
            if ((light.position - point).norm() >= light.range) continue;
            EXPECT_TRUE(std::find(near.begin(), near.end(), l) != near.end());
        }
    }
}

TEST(DistanceBins, BeginWhereTheySay) {
    for (std::size_t bin = 0; bin < kDistanceBins; ++bin) {
        const auto begins = static_cast<float>(distanceOfBin(bin));
        EXPECT_EQ(distanceBin(begins), bin);
        EXPECT_EQ(distanceBin(std::nextafter(begins, 0.0F)), bin == 0 ? 0 : bin - 1);
    }
}

TEST(DistanceBins, TakeInAllDistances) {
    EXPECT_EQ(distanceBin(0), 0U);
    EXPECT_EQ(distanceBin(-1), 0U);
    EXPECT_EQ(distanceBin(1e30F), kDistanceBins - 1);
    EXPECT_NEAR(distanceOfBin(16), 1, 1e-12) << "a metre";
    EXPECT_NEAR(distanceOfBin(20), 2, 1e-12) << "four to an octave";
}

}  // namespace
}  // namespace flentro
