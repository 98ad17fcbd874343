// Zones by marks of nodes, objects that lie in one another, blended surfaces.

#include <gtest/gtest.h>

#include "scene/blending.h"
#include "scene/coincidence.h"
#include "scene/zones.h"
#include "support/meshes.h"

namespace flentro {
namespace {

// --- zones --------------------------------------------------------------------------------

/// A yard with a shed in it and a box in that; beside it a post of no zone.
Scene nestedNodes() {
    Scene scene;
    scene.nodes.resize(4);
    scene.nodes[0].children = {1};
    scene.nodes[1].parent = 0;
    scene.nodes[1].children = {2};
    scene.nodes[2].parent = 1;
    scene.nodes[0].rest["extras"]["zone"] = "yard";
    return scene;
}

TEST(Zones, AreThoseOfTheNearestMarkAbove) {
    Scene scene = nestedNodes();
    EXPECT_EQ(zonesOf(scene), (std::vector<std::string>{"yard", "yard", "yard", ""}));
    scene.nodes[1].rest["extras"]["zone"] = 7;
    EXPECT_EQ(zonesOf(scene), (std::vector<std::string>{"yard", "7", "7", ""}));
}

TEST(Zones, MarksOfOtherKindsAreNone) {
    Scene scene = nestedNodes();
    scene.nodes[1].rest["extras"]["zone"] = {{"name", "shed"}};
    scene.nodes[3].rest["extras"] = "zone";
    EXPECT_EQ(zonesOf(scene), (std::vector<std::string>{"yard", "yard", "yard", ""}));
}

// --- coincidence --------------------------------------------------------------------------

Mesh turned(Mesh mesh) {
    for (Part& part : mesh.parts)
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3)
            std::swap(part.indices[i], part.indices[i + 1]);
    return mesh;
}

TEST(Coincidence, CopiesAtOnePlaceAreTold) {
    const Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {3, 0, 0}},
                                         {test::makeBox({1, 1, 1}), {3, 0, 0}},
                                         {test::makeBox({1, 1, 1}), {5, 0, 0}}});
    const auto found = coincidentTriangles(scene);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].object + found[0].other, 1U);
    EXPECT_EQ(found[0].triangles, 12U);
}

TEST(Coincidence, WhicheverWayTheyFace) {
    const Scene scene = test::makeScene(
        {{test::makeBox({1, 1, 1}), {0, 0, 0}}, {turned(test::makeBox({1, 1, 1})), {0, 0, 0}}});
    ASSERT_EQ(coincidentTriangles(scene).size(), 1U);
    EXPECT_EQ(coincidentTriangles(scene)[0].triangles, 12U);
}

TEST(Coincidence, ThatWithTheLargerShareLiesOnTheOther) {
    Mesh both = test::makeBox({1, 1, 1});
    Part second = both.parts[0];
    std::vector<Vec3f> points = positionsOf(second);
    for (Vec3f& point : points) point.x() += 4;
    second.set("POSITION", makeStream(points));
    both.parts.push_back(std::move(second));
    const Scene scene =
        test::makeScene({{std::move(both), {0, 0, 0}}, {test::makeBox({1, 1, 1}), {4, 0, 0}}});
    const auto found = coincidentTriangles(scene);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(found[0].object, 1U) << "all of it, where only half of the other";
    EXPECT_EQ(found[0].other, 0U);
    EXPECT_EQ(found[0].triangles, 12U);
}

TEST(Coincidence, NeighboursAndThingsATouchApartAreNot) {
    const Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}},
                                         {test::makeBox({1, 1, 1}), {0.001, 0, 0}},
                                         {test::makeBox({1, 1, 1}), {0, 1, 0}}});
    for (const Coincidence& found : coincidentTriangles(scene))
        EXPECT_LE(found.triangles, 2U) << "at most the face on which they stand";
    EXPECT_TRUE(coincidentTriangles(test::makeScene({})).empty());
}

TEST(Coincidence, APatchOnASkyIsFoundAmongAllThatItIsAround) {
    const Mesh sky = test::makeSphere(24, 12);
    const std::vector<Vec3f> points = positionsOf(sky.parts[0]);
    std::vector<test::Placed> placed = {{sky, {0, 0, 0}}};
    for (int i = 0; i < 30; ++i) placed.push_back({test::makeBox({1, 1, 1}), {1.5 * i - 22, 0, 0}});
    // The patch is in centimetres, and its node turns it.
    const Eigen::Affine3d turn = Eigen::AngleAxisd(0.7, Vec3d(1, 2, 3).normalized()) *
                                 Eigen::Translation3d(3, -40, 7) * Eigen::Scaling(0.01);
    Mesh patch = sky;
    patch.parts[0].indices = {sky.parts[0].indices.begin() + 300,
                              sky.parts[0].indices.begin() + 306};
    std::vector<Vec3f> moved;
    for (const Vec3f& point : points)
        moved.push_back((turn.inverse() * (50 * point.cast<double>())).cast<float>());
    patch.parts[0].set("POSITION", makeStream(moved));
    placed.push_back({std::move(patch), {0, 0, 0}});
    Scene scene = test::makeScene(std::move(placed));
    const auto put = [&](std::size_t i, const Mat4d& world) {
        scene.objects[i].world = world;
        scene.objects[i].bounds = transformBox(world, scene.mesh(scene.objects[i]).bounds);
    };
    put(0, Eigen::Affine3d(Eigen::Scaling(50.0)).matrix());
    put(31, turn.matrix());
    const auto found = coincidentTriangles(scene);
    ASSERT_EQ(found.size(), 1U);
    EXPECT_EQ(std::minmax(found[0].object, found[0].other), std::minmax(0U, 31U));
    EXPECT_EQ(found[0].triangles, 2U);
}

TEST(Coincidence, GlassOverAThingIsMeantSo) {
    Scene scene = test::makeScene(
        {{test::makeBox({1, 1, 1}), {0, 0, 0}}, {test::makeBox({1, 1, 1}), {0, 0, 0}}});
    Material glass;
    glass.alphaMode = AlphaMode::Blend;
    scene.materials.push_back(glass);
    Mesh mesh = *scene.assets[1].mesh;
    mesh.parts[0].material = 0;
    scene.assets[1].mesh = finishMesh(std::move(mesh));
    EXPECT_TRUE(coincidentTriangles(scene).empty());
}

// --- blending -----------------------------------------------------------------------------

TEST(Blending, IsTransparentOnlyWhereAllPartsAre) {
    Scene scene;
    scene.materials.resize(2);
    scene.materials[1].alphaMode = AlphaMode::Blend;
    Mesh mesh = test::makeBox({1, 1, 1});
    EXPECT_FALSE(isTransparent(scene, mesh)) << "the default material";
    mesh.parts[0].material = 1;
    EXPECT_TRUE(isTransparent(scene, mesh));
    mesh.parts.push_back(mesh.parts[0]);
    mesh.parts[1].material = 0;
    EXPECT_FALSE(isTransparent(scene, mesh));
    EXPECT_FALSE(isTransparent(scene, Mesh())) << "nothing is not glass";
}

}  // namespace
}  // namespace flentro
