// Shadow rays against every triangle of the scene tried one by one.

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "support/lights.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/surveys.h"
#include "survey/ray_scene.h"

namespace flentro {
namespace {

/// Where a ray meets a triangle, along it; negative: nowhere (Moeller and Trumbore 1997). `front`:
/// whether it comes from the side from which the corners run counter-clockwise.
double meetingOf(const LightRay& ray, const std::array<Vec3d, 3>& t, bool& front) {
    const Vec3d a = t[1] - t[0];
    const Vec3d b = t[2] - t[0];
    const Vec3d p = ray.direction.cross(b);
    const double det = a.dot(p);
    front = det > 0;
    if (std::fabs(det) < 1e-12) return -1;
    const Vec3d s = ray.from - t[0];
    const double u = s.dot(p) / det;
    const Vec3d q = s.cross(a);
    const double v = ray.direction.dot(q) / det;
    return u >= 0 && v >= 0 && u + v <= 1 ? b.dot(q) / det : -1;
}

/// The same question answered without any tree: opaque triangles, from the front where their
/// material is single-sided, of objects that cast shadows and stand in for nothing.
bool isShadowedByTrial(const Scene& scene, const RayScene& rays, const LightRay& ray) {
    for (std::uint32_t i = 0; i < scene.objects.size(); ++i) {
        const Object& object = scene.objects[i];
        if (!object.castsShadow || object.culling.start > 0) continue;
        const auto asset = static_cast<std::size_t>(object.asset);
        for (std::uint32_t t = rays.firstTriangles()[asset]; t < rays.firstTriangles()[asset + 1];
             ++t) {
            bool front = false;
            const double at = meetingOf(ray, rays.corners(i, t), front);
            const RayScene::PartRow& part = rays.partOf(t);
            if (at < 0 || at > ray.length || part.alpha == AlphaMode::Blend) continue;
            if (front || part.twoSided) return true;
        }
    }
    return false;
}

class ShadowRays : public testing::Test {
protected:
    ShadowRays() {
        std::vector<test::Placed> things;
        for (int i = 0; i < 40; ++i)
            things.push_back({i % 3 == 0 ? test::makeSphere(8, 9) : test::makeBox({1, 2, 1}),
                              {between(-12, 12), between(-1, 5), between(-12, 12)}});
        scene_ = test::groundWith(things, {});
        test::addMaterial(scene_, {{"doubleSided", true}});
        test::addMaterial(scene_,
                          {{"alphaMode", "BLEND"},
                           {"pbrMetallicRoughness", {{"baseColorFactor", {1, 1, 1, 0.5}}}}});
        test::addMaterial(scene_, Json::object());
        for (std::size_t a = 0; a < scene_.assets.size(); ++a)
            test::setMaterial(scene_, a, static_cast<int>(a % 3));
        for (std::size_t i = 1; i < scene_.objects.size(); ++i) {
            scene_.objects[i].castsShadow = i % 5 != 0;
            if (i % 7 == 0) scene_.objects[i].culling.start = 20;
        }
    }
    double between(double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random_);
    }
    LightRay ray() {
        const Vec3d from(between(-12, 12), between(4, 9), between(-12, 12));
        const Vec3d way = Vec3d(between(-12, 12), between(-1, 4), between(-12, 12)) - from;
        return {from, way.normalized(), way.norm()};
    }

    std::mt19937 random_{7};
    Scene scene_;
};

TEST_F(ShadowRays, AgreeWithTryingEveryTriangle) {
    const RayScene rays(scene_);
    std::size_t shadowed = 0;
    std::size_t differ = 0;
    constexpr std::size_t kPackets = 60;
    std::vector<LightRay> all;
    std::vector<bool> expected;
    for (std::size_t i = 0; i < kPackets * 14 + 5; ++i) {  // the last packet is not full
        all.push_back(ray());
        expected.push_back(isShadowedByTrial(scene_, rays, all.back()));
        shadowed += expected.back();
        differ += rays.isShadowed(all.back()) != expected.back();
    }
    const std::vector<bool> found = rays.shadowed(all);
    ASSERT_EQ(found.size(), all.size());
    for (std::size_t i = 0; i < all.size(); ++i) differ += found[i] != expected[i];
    EXPECT_GT(shadowed, kPackets * 2) << "the scene is no empty one";
    EXPECT_LT(shadowed, kPackets * 11);
    EXPECT_LE(differ, 2U) << "edges that single floats miss";
}

TEST_F(ShadowRays, PreparingCanBeStoppedAtAnyTime) {
    test::RecordingProgress never;
    EXPECT_TRUE(RayScene::build(scene_, never));
    EXPECT_EQ(never.reports(), 0) << "its caller says what is done";
    for (const int asks : {0, 1, 2, never.asked() / 2, never.asked() - 1}) {
        test::RecordingProgress stopping(asks);
        const auto rays = RayScene::build(scene_, stopping);
        ASSERT_FALSE(rays) << "after " << asks << " questions";
        EXPECT_EQ(rays.error().code, ErrorCode::Cancelled);
        EXPECT_FALSE(takeSurvey(scene_, test::surveyDisplay(), test::spotsAt({{0, 1.7, 0}}),
                                test::plainSurvey(64), stopping)
                         .complete);
    }
}

TEST_F(ShadowRays, CutOutsLetLightThroughTheirHoles) {
    Scene scene = test::groundWith({{test::makeBox({4, 4, 0.1F}), {0, 2, -3}}}, {});
    const auto half = [](int x, int) { return std::array{255, 255, 255, x < 8 ? 255 : 0}; };
    const int texture = test::addPicture(scene, test::makePicture(16, 16, half));
    test::setMaterial(scene, 1,
                      test::addMaterial(scene, {{"alphaMode", "MASK"},
                                                {"doubleSided", true},
                                                {"pbrMetallicRoughness",
                                                 {{"baseColorTexture", {{"index", texture}}}}}}));
    Mesh sheet = *scene.assets[1].mesh;
    std::vector<Vec2f> coords;
    for (const Vec3f& at : positionsOf(sheet.parts[0]))
        coords.emplace_back(at.x() / 4 + 0.5F, 0.5F);
    sheet.parts[0].set("TEXCOORD_0", makeStream(coords));
    scene.assets[1].mesh = finishMesh(std::move(sheet));
    const RayScene rays(scene);
    const auto through = [&](double x) { return LightRay{Vec3d(x, 2, 0), Vec3d(0, 0, -1), 6}; };
    EXPECT_TRUE(rays.isShadowed(through(-1)));
    EXPECT_FALSE(rays.isShadowed(through(1)));
    EXPECT_FALSE(rays.isShadowed({Vec3d(-1, 2, 0), Vec3d(0, 0, -1), 2})) << "it ends before";
}

TEST(LightRay, RunsFromTheLightToJustBeforeTheSurface) {
    Scene scene = test::groundWith({}, {{{0, 5, 0}, 100, 20}});
    const LightRay ray = emittersOf(scene).front().rayTo({3, 1, 0}, 1000);
    EXPECT_NEAR((ray.from - Vec3d(0, 5, 0)).norm(), 0, 1e-9);
    EXPECT_NEAR((ray.direction - Vec3d(0.6, -0.8, 0)).norm(), 0, 1e-9);
    EXPECT_LT(ray.length, 5);
    EXPECT_GT(ray.length, 4.98);
    scene.lights[0].type = LightType::Directional;
    const LightRay sun = emittersOf(scene).front().rayTo({3, 1, 0}, 1000);
    EXPECT_NEAR((sun.from - Vec3d(3, 1, 0)).norm(), 1000, 1e-9);
    EXPECT_NEAR(sun.direction.z(), -1, 1e-9) << "along the node's -Z";
}

TEST(PlacedLight, FadesBetweenItsDistances) {
    PlacedLight light;
    light.position = {0, 0, -10};
    EXPECT_EQ(light.fadeFor({0, 0, 1e6}), 1) << "it has no end";
    light.fadeStart = 10;
    light.end = 20;
    EXPECT_EQ(light.fadeFor({0, 0, 0}), 1);
    EXPECT_DOUBLE_EQ(light.fadeFor({0, 0, 5}), 0.5);
    EXPECT_EQ(light.fadeFor({0, 0, 10}), 0);
    light.fadeStart = 20;
    EXPECT_EQ(light.fadeFor({0, 0, 9}), 1) << "no fade: on until it goes";
    EXPECT_EQ(light.fadeFor({0, 0, 10}), 0);
}

}  // namespace
}  // namespace flentro
