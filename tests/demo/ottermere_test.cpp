#include "ottermere.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <set>

#include "base/index.h"
#include "io/gltf.h"
#include "measure/inventory.h"
#include "measure/viewcost.h"
#include "support/process.h"
#include "survey/ray_scene.h"
#include "survey/spots.h"

namespace flentro::demo {
namespace {

const Ottermere& small() {
    static const Ottermere made = makeOttermere({0.2, 0.15, 16}, 1);
    return made;
}

TEST(Ottermere, SmallVersionFitsUnitTests) {
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(small().scene, folder / "small.glb", {}, noProgress()));
    EXPECT_LT(std::filesystem::file_size(folder / "small.glb"), 2'000'000U);
    EXPECT_EQ(test::validatorErrors(folder / "small.glb"), "");
}

TEST(Ottermere, IsTheSameEveryTime) {
    EXPECT_EQ(hashScene(makeOttermere({0.2, 0.15, 16}, 1).scene), hashScene(small().scene));
}

TEST(Ottermere, EveryPlantedObjectExists) {
    std::set<std::string> names;
    for (const Object& object : small().scene.objects) names.insert(object.name);
    for (const PlacedLight& light : small().scene.placedLights) names.insert(light.name);
    for (const Image& image : small().scene.images) names.insert(image.name);
    for (const Asset& asset : small().scene.assets) names.insert(asset.mesh->name);
    for (const Material& material : small().scene.materials) names.insert(material.name);
    for (const Node& node : small().scene.nodes) names.insert(node.name);
    const Json& faults = small().groundTruth["faults"];
    EXPECT_GE(faults.size(), 10U);
    for (const Json& fault : faults) {
        EXPECT_FALSE(fault["objects"].empty()) << fault["finding"];
        for (const Json& name : fault["objects"])
            EXPECT_TRUE(names.contains(name.get<std::string>())) << name;
    }
}

TEST(Ottermere, CratesAreThirtyMeshesAndBarrelsOne) {
    std::set<int> crates, barrels;
    int barrelCount = 0;
    for (const Object& object : small().scene.objects) {
        if (object.name.starts_with("crate ")) crates.insert(object.asset);
        if (object.name.starts_with("barrel ")) {
            barrels.insert(object.asset);
            ++barrelCount;
        }
    }
    EXPECT_EQ(crates.size(), 30U);
    EXPECT_EQ(barrels.size(), 1U);
    EXPECT_EQ(barrelCount, 12);
}

TEST(Ottermere, CobblesAreByteIdenticalTwins) {
    const Image* found[2] = {};
    for (const Image& image : small().scene.images) {
        if (image.name == "cobble quay") found[0] = &image;
        if (image.name == "cobble lockside") found[1] = &image;
    }
    ASSERT_TRUE(found[0] && found[1]);
    EXPECT_EQ(found[0]->hash, found[1]->hash);
}

TEST(Ottermere, LanternsAskForShadowsAsListed) {
    int shadows = 0;
    for (const PlacedLight& light : small().scene.placedLights) shadows += light.castsShadow;
    EXPECT_EQ(small().scene.placedLights.size(), 97U) << "with that of the barge";
    EXPECT_EQ(shadows, 22);
}

TEST(Ottermere, MarketGoersWalkOnJointsOfTheirOwn) {
    const Scene& scene = small().scene;
    std::set<int> joints;
    std::set<int> kinds;
    for (const Object& object : scene.objects) {
        const int skin = elementOf(scene.nodes, object.node).skin;
        if (skin < 0) continue;
        kinds.insert(object.asset);
        for (const int joint : elementOf(scene.skins, skin).joints)
            EXPECT_TRUE(joints.insert(joint).second) << "shared by two figures";
        EXPECT_NEAR(object.bounds.min().y(), 0, 0.03) << object.name << " stands on the ground";
        EXPECT_NEAR(object.bounds.sizes().y(), 1.75, 0.1);
    }
    EXPECT_EQ(scene.skins.size(), 6U) << "0.15 of 40";
    EXPECT_EQ(kinds.size(), 2U);
    const auto walk = std::find_if(scene.animations.begin(), scene.animations.end(),
                                   [](const Animation& clip) { return clip.name == "walk"; });
    ASSERT_NE(walk, scene.animations.end());
    EXPECT_EQ(walk->channels.size(), scene.skins.size() * walk->samplers.size());
    for (const Json& channel : walk->channels)
        EXPECT_TRUE(joints.contains(channel["target"]["node"].get<int>()));
}

TEST(Ottermere, TheWalkableAreaIsNotDrawn) {
    const Scene& scene = small().scene;
    for (const Object& object : scene.objects) EXPECT_NE(object.name, "walkable");
    SpotPlan plan;
    plan.area = "walkable";
    const auto spots = planSpots(scene, RayScene(scene), plan, noProgress());
    ASSERT_TRUE(spots);
    const auto onBridge = std::count_if(spots->begin(), spots->end(),
                                        [](const auto& spot) { return spot.eye.y() > 3; });
    EXPECT_GE(spots->size(), 50U);
    EXPECT_GE(onBridge, 1);
}

TEST(Ottermere, ScaleRepeatsTheMarketWithoutNewMeshes) {
    const Ottermere four = makeOttermere({0.2, 0.15, 16}, 4);
    constexpr std::size_t kBackdrop = 11;  // Sky and hills, once around all, a store, a slip.
    EXPECT_EQ(four.scene.objects.size(),
              4 * (small().scene.objects.size() - kBackdrop) + kBackdrop);
    EXPECT_EQ(four.scene.assets.size(), small().scene.assets.size());
    EXPECT_EQ(four.scene.skins.size(), 4 * small().scene.skins.size());
    EXPECT_EQ(four.scene.placedLights.size(), 4 * small().scene.placedLights.size());
    EXPECT_EQ(four.scene.bounds().sizes(), small().scene.bounds().sizes()) << "under one sky";
}

TEST(Ottermere, ProjectOpensOnTheQuayWithAWorkOrder) {
    const Project project = makeProject("ottermere.glb");
    EXPECT_EQ(project.order.fixes.size(), 8U);
    const auto source = std::make_shared<const Scene>(small().scene);
    StepCache cache;
    const auto fixed = evaluate(project.order, source, project.target, cache, noProgress());
    ASSERT_TRUE(fixed);
    const double before =
        at(viewCost(*source, project.target, project.view).counts, Measure::Triangles);
    EXPECT_LT(
        at(viewCost(fixed->result(), project.target, project.view).counts, Measure::Triangles),
        0.75 * before)
        << "the small market is coarse already";
    EXPECT_GE(project.spots.size(), 3U);
    EXPECT_GT(at(viewCost(small().scene, project.target, project.view).counts, Measure::Objects),
              50);
}

TEST(Pictures, RepeatWithoutASeam) {
    for (const auto& painter :
         {brick({1, 0, 0}, {1, 1, 1}, 1), speckled({1, 1, 1}, 0.5F, 2), waves(3)}) {
        const Vec4f left = painter(0.0005F, 0.37F);
        const Vec4f right = painter(0.9995F, 0.37F);
        EXPECT_LT((left - right).norm(), 0.25F);
    }
    EXPECT_EQ(noise(0, 0.25F, 8, 1, 1), noise(1, 0.25F, 8, 1, 1));
}

TEST(MeshBuilder, ClosedShapesFaceOutward) {
    // The signed volume of a closed surface is positive when its faces look outward.
    const auto volume = [](const Mesh& mesh) {
        double sum = 0;
        for (const Part& part : mesh.parts) {
            const std::vector<Vec3f> p = positionsOf(part);
            for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3)
                sum +=
                    p[part.indices[i]].dot(p[part.indices[i + 1]].cross(p[part.indices[i + 2]])) /
                    6;
        }
        return sum;
    };
    EXPECT_NEAR(volume(*MeshBuilder("b").box(1, 2, 3).finish()), 6, 1e-5);
    EXPECT_NEAR(volume(*MeshBuilder("c").cylinder(1, 2, 64).finish()), 2 * kPi, 0.05);
    EXPECT_GT(volume(*MeshBuilder("t").tube({{0, 0, 0}, {0, 1, 0}, {0, 2, 0}}, 0.5F, 24).finish()),
              1);
}

}  // namespace
}  // namespace flentro::demo
