// What lies beyond all that can be counted with.

#include "scene/far.h"

#include <gtest/gtest.h>

#include "support/meshes.h"

namespace flentro {
namespace {

TEST(Far, WhatReachesBeyondIsLeftOutWithANote) {
    for (const double place : {2e9, 1e19, 1e300}) {
        Scene scene = test::makeScene(
            {{test::makeBox({1, 1, 1}), {0, 0, 0}}, {test::makeBox({1, 1, 1}), {place, 0, 0}}});
        leaveOutFar(scene);
        ASSERT_EQ(scene.objects.size(), 1U) << place;
        EXPECT_LT(scene.objects[0].bounds.max().x(), 1);
        ASSERT_EQ(scene.notes.size(), 1U);
        EXPECT_NE(scene.notes[0].what.find("1 object is left out: beyond"), std::string::npos);
    }
}

TEST(Far, MeshesThatAreHugeInTheirOwnSpaceAreToo) {
    Scene scene = test::makeScene({{test::makeBox({1e13F, 1, 1}), {0, 0, 0}, 1e-12}});
    ASSERT_LT(scene.objects[0].bounds.diagonal().norm(), 11);
    leaveOutFar(scene);
    EXPECT_TRUE(scene.objects.empty());
}

TEST(Far, LightsAndCamerasAreToo) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}}});
    scene.lights.emplace_back();
    scene.cameras.emplace_back();
    for (const double place : {0.0, 1e19}) {
        Node node;
        node.light = node.camera = 0;
        node.local(0, 3) = place;
        scene.nodes.push_back(node);
    }
    scene.scenes.clear();  // all nodes are shown
    flatten(scene);
    ASSERT_EQ(scene.placedLights.size(), 2U);
    leaveOutFar(scene);
    ASSERT_EQ(scene.placedLights.size(), 1U);
    EXPECT_EQ(scene.placedLights[0].position.x(), 0);
    EXPECT_EQ(scene.nodes.back().light, -1);
    EXPECT_EQ(scene.nodes.back().camera, -1);
    EXPECT_EQ(scene.notes.size(), 2U);
}

TEST(Far, WhatIsInReachStays) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {9e8, 0, -9e8}}});
    const std::size_t notes = scene.notes.size();
    leaveOutFar(scene);
    EXPECT_EQ(scene.objects.size(), 1U);
    EXPECT_EQ(scene.notes.size(), notes);
}

}  // namespace
}  // namespace flentro
