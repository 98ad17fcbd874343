// The renderer by itself, off screen: slices, copies, shadows.

#include "view/renderer.h"

#include <gtest/gtest.h>

#include <QOffscreenSurface>
#include <QOpenGLContext>
#include <QThread>
#include <limits>

#include "support/lights.h"

namespace flentro::app {
namespace {

using test::makeBox;
using test::makeGrid;
using test::makeScene;

class RendererTest : public testing::Test {
protected:
    void SetUp() override {
        surface_.create();
        context_.setFormat(surface_.format());
        ASSERT_TRUE(context_.create());
        ASSERT_TRUE(context_.makeCurrent(&surface_));
        ASSERT_TRUE(gl_.initializeOpenGLFunctions());
        gpu_.initialise(&gl_);
        renderer_.initialise(&gl_, &gpu_);
    }
    void TearDown() override {
        renderer_.release();
        gpu_.release();
        context_.doneCurrent();
    }
    static Frame frameOf(Scene scene, const Viewpoint& view = {}) {
        Frame frame;
        frame.scene = std::make_shared<const Scene>(std::move(scene));
        frame.target = test::surveyDisplay();
        frame.view = view;
        frame.size = QSize(320, 180);
        return frame;
    }
    /// All lights as bright as they are.
    void light(const Frame& frame) {
        gpu_.setLights(frame.state, frame.scene,
                       std::vector<float>(frame.scene->placedLights.size(), 1));
        waitForGpu();
    }
    void waitForGpu() {
        while (gpu_.isBusy())
            if (!gpu_.uploadFinished()) QThread::msleep(2);
    }
    QImage drawn(const Frame& frame) {
        renderer_.begin(frame);
        while (!renderer_.advance(1000)) QThread::msleep(2);
        return renderer_.picture();
    }
    /// Pixels that differ from the empty ground.
    static int covered(const QImage& picture) {
        const QRgb ground = theme().scene.rgb();
        int count = 0;
        for (int y = 0; y < picture.height(); ++y)
            for (int x = 0; x < picture.width(); ++x) count += picture.pixel(x, y) != ground;
        return count;
    }
    static int brightness(const QImage& picture, int x, int y) {
        return picture.pixelColor(x, y).value();
    }

    QOffscreenSurface surface_;
    QOpenGLContext context_;
    Gl gl_;
    GpuScene gpu_;
    Renderer renderer_;
};

TEST_F(RendererTest, AHeavyMeshIsDrawnInSlices) {
    Scene scene = makeScene({{makeGrid(200, 200, 20), {-10, 0, -25}}});
    const Frame frame = frameOf(scene);
    renderer_.begin(frame);
    EXPECT_EQ(renderer_.lastTriangles(), 80'000U);
    while (!gpu_.isReady(scene.assets[0].mesh)) QThread::msleep(2);
    int turns = 0;
    while (!renderer_.advance(0.001)) ++turns;
    EXPECT_GE(turns, 80'000 / 12'000) << "a look at the clock between two slices";
    const QImage slow = renderer_.picture();
    EXPECT_GT(covered(slow), 1000);
    EXPECT_EQ(drawn(frame), slow) << "the same picture however it is cut";
}

TEST_F(RendererTest, ThePictureBeforeStaysUntilTheNextIsFinished) {
    const Frame full = frameOf(makeScene({{makeBox({2, 2, 2}), {0, 1.7, -8}}}));
    const QImage before = drawn(full);
    ASSERT_GT(covered(before), 100);
    renderer_.begin(frameOf(makeScene({{makeBox({2, 2, 2}), {0, 1.7, 30}}})));
    EXPECT_EQ(renderer_.picture(), before);
    while (!renderer_.advance(1000)) QThread::msleep(2);
    EXPECT_EQ(covered(renderer_.picture()), 0) << "behind the eye";
}

TEST_F(RendererTest, CopiesTogetherAndOneByOneLookTheSame) {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 6; ++i) placed.push_back({makeBox({1, 1, 1}), {2.0 * i - 5, 1.7, -9}});
    Scene scene = makeScene(std::move(placed));
    for (Object& object : scene.objects) object.asset = 0;
    Frame frame = frameOf(scene);
    const QImage plain = drawn(frame);
    frame.timed = true;
    frame.target.batching = Batching::Mesh;
    EXPECT_EQ(drawn(frame), plain);
    frame.target.batching = Batching::Nothing;
    EXPECT_EQ(drawn(frame), plain);
    EXPECT_EQ(renderer_.lastTriangles(), 72U);
    EXPECT_GT(renderer_.lastTimes().frame, 0);
}

/// Seen from behind, a mirrored one-sided grid has its front there.
TEST_F(RendererTest, MirroredCopiesShowTheirFronts) {
    Scene scene = makeScene({{makeGrid(2, 2, 4), {-2, 0, -8}}});
    const int above = covered(drawn(frameOf(scene)));
    ASSERT_GT(above, 100);
    scene.objects[0].world(0, 0) = -1;
    scene.objects[0].world(0, 3) = 2;
    EXPECT_NEAR(covered(drawn(frameOf(scene))), above, above / 20);
}

TEST_F(RendererTest, WhatFadesLosesItsPixelsOneAfterAnother) {
    Scene scene = makeScene({{makeBox({4, 4, 4}), {0, 1.7, -12}}});
    const int whole = covered(drawn(frameOf(scene)));
    scene.objects[0].culling.fadeStart = 5;
    scene.objects[0].culling.end = 15;  // it is 10 m away: half of it is left
    EXPECT_NEAR(covered(drawn(frameOf(scene))), whole / 2, whole / 20);
    scene.objects[0].culling.end = 9;
    EXPECT_EQ(covered(drawn(frameOf(scene))), 0);
}

TEST_F(RendererTest, ALampAtTheEyeLightsWhereThereIsNoOtherOrInsteadOfIt) {
    Scene scene = makeScene({{makeBox({4, 4, 1}), {0, 1.7, -9}}});
    Frame frame = frameOf(scene);
    const int lit = brightness(drawn(frame), 160, 90);
    frame.eyeLight = EyeLight::Off;
    EXPECT_LT(brightness(drawn(frame), 160, 90), lit - 40);
    // A lamp behind the wall lights nothing that is seen.
    Light lamp;
    lamp.intensity = 1;
    lamp.range = 1;
    scene.lights.push_back(lamp);
    Node node;
    node.light = 0;
    node.local.topRightCorner<3, 1>() = Vec3d(0, 1.7, -15);
    scene.nodes.push_back(node);
    scene.scenes[0]["nodes"].push_back(scene.nodes.size() - 1);
    flatten(scene);
    frame = frameOf(scene);
    light(frame);
    EXPECT_LT(brightness(drawn(frame), 160, 90), lit - 40);
    frame.eyeLight = EyeLight::On;
    EXPECT_EQ(brightness(drawn(frame), 160, 90), lit);
}

TEST_F(RendererTest, SwitchedOffThingsAreNotDrawn) {
    Frame frame = frameOf(
        makeScene({{makeBox({2, 2, 2}), {-3, 1.7, -9}}, {makeBox({2, 2, 2}), {3, 1.7, -9}}}));
    const int both = covered(drawn(frame));
    frame.off.objects = {true, false};
    EXPECT_NEAR(covered(drawn(frame)), both / 2, both / 20);
}

/// Lamps in a row ahead, all of which cast shadows.
class ShadowedRow : public RendererTest {
protected:
    static Scene row(int lamps) {
        std::vector<test::Lamp> placed;
        for (int i = 0; i < lamps; ++i) placed.push_back({{3.0 * i - 6, 4, -10}, 40, 12, true});
        return test::groundWith({{makeBox({1, 1, 1}), {0, 0.5, -10}}}, placed);
    }
};

TEST_F(ShadowedRow, OnlyTheStrongestLightsHaveMaps) {
    Frame frame = frameOf(row(6));
    EXPECT_EQ((drawn(frame), renderer_.shadowLights()), 0U) << "no light is gathered yet";
    light(frame);
    (void)drawn(frame);
    EXPECT_EQ(renderer_.shadowLights(), ShadowMaps::kMost);
    frame = frameOf(row(2));
    light(frame);
    (void)drawn(frame);
    EXPECT_EQ(renderer_.shadowLights(), 2U);
}

TEST_F(ShadowedRow, ThereAreNoneWhileMovingAndUnderALens) {
    Frame frame = frameOf(row(2));
    light(frame);
    frame.coarse = true;
    (void)drawn(frame);
    EXPECT_EQ(renderer_.shadowLights(), 0U);
    frame.coarse = false;
    frame.lens = LensKind::TriangleSize;
    (void)drawn(frame);
    EXPECT_EQ(renderer_.shadowLights(), 0U);
    frame.lens = LensKind::Shaded;
    frame.view.heading = 180;
    (void)drawn(frame);
    EXPECT_EQ(renderer_.shadowLights(), 2U) << "their light reaches what is there";
    frame.view.eye.z() = 40;
    (void)drawn(frame);
    EXPECT_EQ(renderer_.shadowLights(), 0U) << "out of reach";
}

TEST_F(ShadowedRow, MapsFollowWhatIsSwitchedOff) {
    Frame frame = frameOf(row(1), {{-6, 8, -4}, 0, -60});
    light(frame);
    const QImage shadowed = drawn(frame);
    frame.off.objects = {false, true};
    EXPECT_NE(drawn(frame), shadowed);
    frame.off.objects.clear();
    EXPECT_EQ(drawn(frame), shadowed) << "and come back";
}

/// A spot 6 m up shines straight down, 20 degrees to each side: a circle of 2.2 m.
TEST_F(RendererTest, SpotsShineWithinTheirCone) {
    Scene scene = test::groundWith({}, {{{0, 6, -10}, 200, 30, false}});
    scene.lights[0].type = LightType::Spot;
    scene.lights[0].rest["spot"] = {{"innerConeAngle", 0.3}, {"outerConeAngle", 0.35}};
    Node& node = scene.nodes.back();
    node.local.block<3, 1>(0, 2) = Vec3d::UnitY();
    node.local.block<3, 1>(0, 1) = -Vec3d::UnitZ();
    Frame frame = frameOf(scene, {{0, 12, -10}, 0, -89});
    light(frame);
    const QImage picture = drawn(frame);
    EXPECT_GT(brightness(picture, 160, 90), brightness(picture, 60, 90) + 40);
    EXPECT_NEAR(brightness(picture, 60, 90), brightness(picture, 260, 90), 3);
}

/// A slab hangs over the ground under a sun straight above.
class UnderTheSun : public RendererTest {
protected:
    static Scene yard(bool casts, const test::Placed& slab = {makeBox({4, 0.2F, 4}), {0, 6, -10}}) {
        Scene scene = test::groundWith(
            {slab}, {{{0, 20, 0}, 3, std::numeric_limits<float>::infinity(), casts}});
        scene.lights[0].type = LightType::Directional;
        Node& node = scene.nodes.back();
        node.local.block<3, 1>(0, 2) = Vec3d::UnitY();
        node.local.block<3, 1>(0, 1) = -Vec3d::UnitZ();
        return scene;
    }
    /// Of the ground at 10 m, which lies under the slab, and that to its left.
    std::pair<int, int> underAndBeside(const Frame& frame) {
        light(frame);
        const QImage picture = drawn(frame);
        return {brightness(picture, 160, 90), brightness(picture, 20, 90)};
    }
    const Viewpoint kEye{{0, 3, -2}, 0, -20.6};  // looks at (0, 0, -10)
};

TEST_F(UnderTheSun, WhatHangsAboveTheGroundShadesIt) {
    Frame frame = frameOf(yard(true), kEye);
    const auto [under, beside] = underAndBeside(frame);
    EXPECT_LT(under, beside - 20);
    EXPECT_EQ(renderer_.shadowLights(), 1U);
    const auto [bright, same] = underAndBeside(frameOf(yard(false), kEye));
    EXPECT_NEAR(bright, same, 4) << "it casts none";
    EXPECT_NEAR(beside, same, 2) << "the ground does not shade itself";
    EXPECT_EQ(renderer_.shadowLights(), 0U);
}

TEST_F(UnderTheSun, TheMapFollowsWhatIsSwitchedOff) {
    Frame frame = frameOf(yard(true), kEye);
    const auto [under, beside] = underAndBeside(frame);
    frame.off.objects = {false, true};
    EXPECT_NEAR(brightness(drawn(frame), 160, 90), beside, 4);
    frame.off.objects.clear();
    EXPECT_EQ(brightness(drawn(frame), 160, 90), under) << "and comes back";
}

TEST_F(UnderTheSun, WhatIsBehindTheEyeOrFarUpShadesTheGroundAsWell) {
    Scene scene = yard(true, {makeBox({4, 0.2F, 4}), {0, 300, -10}});
    const auto [under, beside] = underAndBeside(frameOf(scene, kEye));
    EXPECT_LT(under, beside - 20);
}

/// A sun in the west shines on a box's western side, not on its eastern one.
TEST_F(RendererTest, DirectionalLightsShineUntilTheyAreOff) {
    Scene scene =
        test::groundWith({{makeBox({4, 4, 4}), {0, 1.7, -12}}},
                         {{{0, 6, -10}, 1, std::numeric_limits<float>::infinity(), false}});
    scene.lights[0].type = LightType::Directional;
    Node& node = scene.nodes.back();
    node.local.block<3, 1>(0, 2) = -Vec3d::UnitX();
    node.local.block<3, 1>(0, 0) = Vec3d::UnitZ();
    for (const float lux : {3.0F, 100'000.0F}) {
        scene.lights[0].intensity = lux;
        Frame west = frameOf(scene, {{-12, 1.7, -12}, 90, 0});
        Frame east = west;
        east.view = {{12, 1.7, -12}, 270, 0};
        light(west);
        const int bright = brightness(drawn(west), 160, 90);
        EXPECT_GT(bright, brightness(drawn(east), 160, 90) + 30) << lux;
        west.lens = LensKind::LightCount;
        const QImage counted = drawn(west);
        gpu_.setLights(west.state, west.scene, {0.0F});
        waitForGpu();
        EXPECT_NE(drawn(west), counted);
        west.lens = LensKind::Shaded;
        EXPECT_GT(bright, brightness(drawn(west), 160, 90) + 30) << lux;
    }
}

}  // namespace
}  // namespace flentro::app
