// Copies as instances of one node: the same objects, fewer nodes.

#include "scene/instances.h"
#include "base/index.h"
#include "fixes/instances/instances.h"
#include "fixes/stand_ins/stand_ins.h"

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <tiny_gltf.h>

#include <random>

#include "fixes/fix.h"
#include "report/export.h"
#include "scene/edit.h"
#include "support/meshes.h"
#include "support/process.h"
#include "support/surface.h"

namespace flentro {
namespace {

using testing::IsEmpty;
using testing::SizeIs;

/// A thing for shareNodes(): place, turn about Y in degrees, scale.
struct Copy {
    Vec3d at;
    double turn = 0;
    double scale = 1;
};

/// One mesh at all these places, each a node at the top.
Scene makeCopies(const std::vector<Copy>& copies) {
    Scene scene = test::makeScene({{test::makeGrid(3, 2), {0, 0, 0}}});
    removeObjects(scene, {true});
    for (const Copy& copy : copies) {
        Object object;
        object.name = fmt::format("copy {}", scene.objects.size());
        object.asset = 0;
        object.world.topLeftCorner<3, 3>() =
            copy.scale * Eigen::AngleAxisd(toRadians(copy.turn), Vec3d::UnitY()).toRotationMatrix();
        object.world.topRightCorner<3, 1>() = copy.at;
        object.origins = {static_cast<std::uint32_t>(scene.objects.size())};
        addObject(scene, std::move(object));
    }
    return scene;
}

std::vector<std::string> namesOf(const Scene& scene) {
    std::vector<std::string> names;
    for (const Object& object : scene.objects) names.push_back(object.name);
    return names;
}

/// Copies that tinygltf finds on nodes: one, or the count of the instances' translations.
std::size_t copiesByTinyGltf(const std::filesystem::path& file) {
    tinygltf::TinyGLTF loader;
    tinygltf::Model model;
    std::string error, warning;
    EXPECT_TRUE(loader.LoadBinaryFromFile(&model, &error, &warning, file.string())) << error;
    std::size_t copies = 0;
    for (const auto& node : model.nodes) {
        if (node.mesh < 0) continue;
        const auto instancing = node.extensions.find("EXT_mesh_gpu_instancing");
        if (instancing == node.extensions.end()) {
            ++copies;
            continue;
        }
        const int accessor =
            instancing->second.Get("attributes").Get("TRANSLATION").GetNumberAsInt();
        copies += elementOf(model.accessors, accessor).count;
    }
    return copies;
}

TEST(Instances, CopiesBecomeOneNodeAndShowTheSame) {
    const Scene before =
        makeCopies({{{1e5, 0, 3}}, {{1e5 + 7, 2, 3}, 30, 2}, {{1e5 - 4, 0, 90}, -120, 0.5}});
    Scene after = before;
    EXPECT_EQ(shareNodes(after).objects, 3U);
    EXPECT_EQ(namesOf(after), namesOf(before));
    EXPECT_EQ(std::count_if(after.nodes.begin(), after.nodes.end(),
                            [](const Node& node) { return node.mesh >= 0; }),
              1);
    EXPECT_EQ(test::differenceOfSurfaces(before, after, 1e-4), "");
    flatten(after);
    EXPECT_EQ(namesOf(after), namesOf(before)) << "nodes say the same";
    EXPECT_EQ(test::differenceOfSurfaces(before, after, 1e-4), "")
        << "100 km from the origin single precision is kept near the copies";
}

TEST(Instances, ExportsAreValidAndCountTheSameElsewhere) {
    const Scene scene = makeCopies({{{0, 0, 0}}, {{5, 0, 0}, 90}, {{0, 0, 5}}, {{5, 0, 5}, 10, 3}});
    test::TemporaryFolder folder;
    const Scene shared = applyInstances(scene, {})->scene;
    ASSERT_TRUE(exportScene(shared, {}, folder / "copies.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "copies.glb"), "");
    EXPECT_EQ(copiesByTinyGltf(folder / "copies.glb"), 4U);
    const Scene back = readGltf(folder / "copies.glb", noProgress()).value();
    EXPECT_EQ(namesOf(back), namesOf(scene)) << "names lead back";
    EXPECT_EQ(test::differenceOfSurfaces(scene, back, 1e-4), "");
    EXPECT_EQ(back.rest["extensionsRequired"], Json::array({"EXT_mesh_gpu_instancing"}))
        << "who does not read it must not show one copy for all";
}

TEST(Instances, WhatIsTreatedOtherwiseStaysApart) {
    Scene scene = makeCopies({{{0, 0, 0}}, {{5, 0, 0}}, {{0, 0, 5}}, {{5, 0, 5}}, {{9, 0, 9}}});
    scene.objects[1].culling.end = 20;
    scene.objects[2].castsShadow = false;
    scene.objects[3].world.col(0) *= -1;  // mirrored
    elementOf(scene.nodes, scene.objects[4].node).rest["extras"]["price"] = 3;
    const NodeSharing none = shareNodes(scene);
    EXPECT_EQ(none.objects, 0U);
    EXPECT_EQ(none.kept, 2U) << "the mirrored one and the one with a price";
    scene.objects[1].culling.end = scene.objects[0].culling.end;
    EXPECT_EQ(shareNodes(scene).objects, 2U);
    EXPECT_EQ(scene.objects[0].node, scene.objects[1].node);
    EXPECT_EQ(scene.objects[0].instance, 0);
    EXPECT_EQ(scene.objects[1].instance, 1);
}

TEST(Instances, CellsKeepNodesSmall) {
    Scene scene = makeCopies({{{1, 0, 1}}, {{9, 0, 9}}, {{11, 0, 1}}, {{19, 0, 9}}, {{1, 0, 11}}});
    const Fixed fixed = applyInstances(scene, {.cell = 10}).value();
    const auto nodeOf = [&](std::size_t i) { return fixed.scene.objects[i].node; };
    EXPECT_EQ(nodeOf(0), nodeOf(1));
    EXPECT_EQ(nodeOf(2), nodeOf(3));
    EXPECT_NE(nodeOf(0), nodeOf(2));
    EXPECT_EQ(fixed.scene.objects[4].instance, -1) << "alone in its cell";
    EXPECT_EQ(fixed.record.summary, "4 objects share 2 nodes");
    EXPECT_TRUE(fixed.record.notes.empty());
    EXPECT_EQ(applyInstances(scene, {})->record.summary, "5 objects share 1 node");
}

TEST(Instances, CopiesOnOneNodeGoWithTheLastOfThem) {
    Scene scene = makeCopies({{{1, 0, 1}}, {{3, 0, 1}}, {{5, 0, 1}}, {{7, 0, 1}}, {{9, 0, 1}}});
    constexpr double kEnds[] = {20, 39, 41, 80, 1e9};
    for (std::size_t i = 0; i < 5; ++i) {
        scene.objects[i].culling.end = kEnds[i];
        scene.objects[i].culling.fadeStart = 0.9 * kEnds[i];
        scene.objects[i].culling.shadowEnd = i == 3 ? 5 : 10;
    }
    const Scene shared = applyInstances(scene, {.reach = 2})->scene;
    const auto endOf = [&](std::size_t i) { return shared.objects[i].culling.end; };
    EXPECT_EQ(shared.objects[0].node, shared.objects[1].node) << "20 and 39 m";
    EXPECT_EQ(shared.objects[2].node, shared.objects[3].node) << "41 and 80 m, 10 and 5 m";
    EXPECT_NE(shared.objects[0].node, shared.objects[2].node);
    EXPECT_EQ(shared.objects[4].instance, -1);
    EXPECT_THAT((std::vector{endOf(0), endOf(1), endOf(2), endOf(3), endOf(4)}),
                testing::ElementsAre(39, 39, 80, 80, 1e9));
    EXPECT_EQ(shared.objects[0].culling.fadeStart, 0.9 * 39);
    EXPECT_EQ(shared.objects[3].culling.shadowEnd, 10);
    const Scene apart = applyInstances(scene, {.reach = 1})->scene;
    for (std::size_t i = 0; i < 5; ++i) {
        EXPECT_EQ(apart.objects[i].instance, -1);
        EXPECT_EQ(apart.objects[i].culling.end, kEnds[i]);
    }
}

TEST(Instances, NodesWithOtherDutiesStay) {
    Scene scene = makeCopies({{{0, 0, 0}}, {{5, 0, 0}}, {{0, 0, 5}}, {{5, 0, 5}}});
    const auto nodeOf = [&](std::size_t i) { return scene.objects[i].node; };
    scene.animations.resize(1);
    scene.animations[0].channels = {{{"target", {{"node", nodeOf(0)}, {"path", "translation"}}}}};
    scene.skins.resize(1);
    scene.skins[0].joints = {nodeOf(1)};
    Node child;
    child.name = "hook";
    child.parent = nodeOf(2);
    addNode(scene, child);
    const std::size_t nodes = scene.nodes.size();
    EXPECT_EQ(shareNodes(scene).objects, 0U);
    EXPECT_EQ(scene.nodes.size(), nodes);
}

TEST(Instances, DroppedNodesLetAllReferencesFollow) {
    Scene scene = makeCopies({{{0, 0, 0}}, {{5, 0, 0}}, {{0, 0, 5}}});
    Node lamp;
    lamp.name = "lamp";
    const int index = addNode(scene, lamp);
    scene.animations.resize(1);
    scene.animations[0].channels = {{{"target", {{"node", index}, {"path", "rotation"}}}}};
    ASSERT_EQ(shareNodes(scene).objects, 3U);
    const int moved = scene.animations[0].channels[0]["target"]["node"];
    EXPECT_EQ(elementOf(scene.nodes, moved).name, "lamp");
    for (const Json& root : scene.scenes[0]["nodes"])
        EXPECT_LT(root.get<std::size_t>(), scene.nodes.size());
    EXPECT_EQ(std::count(scene.scenes[0]["nodes"].begin(), scene.scenes[0]["nodes"].end(), moved),
              1);
}

/// Hundreds of copies, some turned any way, some mirrored, sheared or of no size.
TEST(Instances, AnyTransformsShowTheSame) {
    std::mt19937 random(7);
    const auto between = [&](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    };
    for (int round = 0; round < 20; ++round) {
        Scene scene = makeCopies({});
        std::size_t plain = 0;
        for (int i = 0; i < 30; ++i) {
            Object object;
            object.name = fmt::format("copy {}", i);
            object.asset = 0;
            const Vec3d axis = Vec3d(between(-1, 1), between(-1, 1), between(-1, 1)).normalized();
            Eigen::Matrix3d turn = Eigen::AngleAxisd(between(0, 6), axis).toRotationMatrix();
            const Vec3d scale(between(0.1, 4), between(0.1, 4), between(0.1, 4));
            turn = turn * scale.asDiagonal();
            const int odd = i % 6;
            if (odd == 0) turn.col(1) *= -1;
            if (odd == 1) turn.col(1) += 0.3 * turn.col(0);
            if (odd == 2) turn.col(2).setZero();
            plain += odd > 2;
            object.world.topLeftCorner<3, 3>() = turn;
            object.world.topRightCorner<3, 1>() =
                Vec3d(between(-1e3, 1e3), between(-10, 10), between(-1e3, 1e3));
            object.origins = {static_cast<std::uint32_t>(i)};
            addObject(scene, std::move(object));
        }
        Scene after = scene;
        EXPECT_EQ(shareNodes(after).objects, plain) << "mirrored, sheared and flat ones stay";
        EXPECT_EQ(test::differenceOfSurfaces(scene, after, 2e-3), "");
        EXPECT_EQ(namesOf(after), namesOf(scene));
    }
}

TEST(Instances, RemovingACopyKeepsTheOthersNames) {
    Scene scene = makeCopies({{{0, 0, 0}}, {{5, 0, 0}}, {{0, 0, 5}}});
    ASSERT_EQ(shareNodes(scene).objects, 3U);
    removeObjects(scene, {false, true, false});
    EXPECT_EQ(namesOf(scene), (std::vector<std::string>{"copy 0", "copy 2"}));
    flatten(scene);
    EXPECT_EQ(namesOf(scene), (std::vector<std::string>{"copy 0", "copy 2"}));
}

TEST(Instances, WhatAStandInShowsStaysBelowItsGroup) {
    Scene scene = makeCopies({{{0, 0, 0}}, {{5, 0, 0}}, {{0, 0, 5}}, {{9, 0, 9}}});
    StandInSettings settings;
    settings.parcel = 1000;
    settings.startDistance = 50;
    scene = applyStandIns(scene, settings, {}, noProgress())->scene;
    const auto far = std::find_if(scene.objects.begin(), scene.objects.end(),
                                  [](const Object& o) { return o.culling.start > 0; });
    ASSERT_NE(far, scene.objects.end());
    const int group = elementOf(scene.nodes, far->node).parent;
    const std::string name = elementOf(scene.nodes, group).name;
    ASSERT_EQ(shareNodes(scene).objects, 4U);
    for (const Object& object : scene.objects) {
        if (object.standIn < 0) continue;
        const int parent = elementOf(scene.nodes, object.node).parent;
        ASSERT_GE(parent, 0);
        EXPECT_EQ(elementOf(scene.nodes, parent).name, name);
    }
}

}  // namespace
}  // namespace flentro
