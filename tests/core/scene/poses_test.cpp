// Skinned assets while their animations play.

#include "scene/poses.h"

#include <gtest/gtest.h>

#include <cstring>
#include <numbers>

#include "simplify/deviation.h"
#include "support/meshes.h"

namespace flentro {
namespace {

StreamPtr floats(int components, const std::vector<float>& values) {
    Stream stream{ComponentType::Float32, components, false, components == 16, {}};
    stream.data.resize(values.size() * sizeof(float));
    std::memcpy(stream.data.data(), values.data(), stream.data.size());
    return std::make_shared<const Stream>(std::move(stream));
}

/// A strip of 10 m along x, held by the root up to 5 m and by a bone at 5 m beyond, which turns
/// upward by 90 degrees in one second.
Scene arm(const char* interpolation = "LINEAR") {
    Mesh strip = test::makeGrid(10, 1, 10);
    Part& part = strip.parts[0];
    const std::vector<Vec3f> points = positionsOf(part);
    float least = points[0].x();
    for (const Vec3f& p : points) least = std::min(least, p.x());
    std::vector<Vec3f> placed;
    Stream joints{ComponentType::UInt16, 4, false, false, {}};
    std::vector<float> weights;
    joints.data.resize(points.size() * 8);
    for (std::size_t v = 0; v < points.size(); ++v) {
        placed.emplace_back(points[v].x() - least, points[v].y(), points[v].z());
        joints.set(v, 0, placed[v].x() > 5 ? 1 : 0);
        weights.insert(weights.end(), {1, 0, 0, 0});
    }
    part.set("POSITION", makeStream(placed));
    part.set("JOINTS_0", std::move(joints));
    part.set("WEIGHTS_0", *floats(4, weights));
    Scene scene = test::makeScene({{strip, Vec3d::Zero()}});
    scene.nodes.resize(3);
    scene.nodes[1].name = "root bone";
    scene.nodes[1].children = {2};
    scene.nodes[2].name = "bone";
    scene.nodes[2].parent = 1;
    scene.nodes[2].rest["translation"] = {5, 0, 0};
    scene.nodes[2].local(0, 3) = 5;
    std::vector<float> bind(32, 0);
    for (const std::size_t i : {0U, 5U, 10U, 15U, 16U, 21U, 26U, 31U}) bind[i] = 1;
    bind[28] = -5;
    scene.skins.push_back({{1, 2}, floats(16, bind), {}});
    scene.nodes[0].skin = 0;
    const auto half = static_cast<float>(std::numbers::sqrt2 / 2);
    scene.streams = {floats(1, {0, 1}), floats(4, {0, 0, 0, 1, 0, 0, half, half})};
    Animation animation;
    animation.samplers.push_back({0, 1, {{"interpolation", interpolation}}});
    animation.channels = {{{"sampler", 0}, {"target", {{"node", 2}, {"path", "rotation"}}}}};
    scene.animations.push_back(animation);
    flatten(scene);
    return scene;
}

double highest(const Mesh& mesh) {
    double top = -1e9;
    for (const Vec3f& p : positionsOf(mesh.parts[0]))
        top = std::max(top, static_cast<double>(p.y()));
    return top;
}

TEST(Poses, BonesCarryTheirVertices) {
    const Scene scene = arm();
    const std::vector<Pose> poses = samplePoses(scene, 0, 2);
    ASSERT_EQ(poses.size(), 2U);
    for (std::size_t i = 0; i < 2; ++i) {
        // At 0.25 and 0.75 s the far end, 5 m from the bone, is turned by 22.5 and 67.5 degrees.
        const double angle = (i == 0 ? 22.5 : 67.5) * std::numbers::pi / 180;
        EXPECT_NEAR(highest(posed(*scene.assets[0].mesh, poses[i])), 5 * std::sin(angle), 1e-4);
    }
}

TEST(Poses, StepsStayUntilTheNextKey) {
    const Scene scene = arm("STEP");
    const auto before = localTransformsAt(scene, scene.animations[0], 0.9);
    EXPECT_TRUE(before[2].isApprox(scene.nodes[2].local));
    const auto after = localTransformsAt(scene, scene.animations[0], 1);
    EXPECT_FALSE(after[2].isApprox(scene.nodes[2].local));
}

TEST(Poses, WithoutMovementThereAreNone) {
    Scene scene = arm();
    scene.animations[0].channels[0]["target"]["node"] = 0;
    EXPECT_TRUE(samplePoses(scene, 0, 8).empty());
    scene.animations.clear();
    EXPECT_TRUE(samplePoses(scene, 0, 8).empty());
}

TEST(Poses, ALevelThatIsFlatAtRestDeviatesWhenItBends) {
    const Scene scene = arm();
    const Mesh& mesh = *scene.assets[0].mesh;
    Mesh flat = mesh;
    Part& part = flat.parts[0];
    // The four corners alone: two triangles from end to end.
    const std::vector<Vec3f> points = positionsOf(part);
    std::vector<std::uint32_t> corners;
    for (std::uint32_t v = 0; v < points.size(); ++v)
        if (points[v].x() == 0 || points[v].x() == 10) corners.push_back(v);
    ASSERT_EQ(corners.size(), 4U);
    part.indices = {corners[0], corners[2], corners[1], corners[1], corners[2], corners[3]};
    const MeshPtr level = finishMesh(std::move(flat));
    EXPECT_LT(PosedSurfaces(mesh).largestDeviation(*level), 1e-4);
    std::vector<PoseMesh> poses;
    for (const Pose& pose : samplePoses(scene, 0, 2))
        poses.emplace_back([pose](const Mesh& each) { return posed(each, pose); });
    EXPECT_GT(PosedSurfaces(mesh, poses).largestDeviation(*level), 1);
}

}  // namespace
}  // namespace flentro
