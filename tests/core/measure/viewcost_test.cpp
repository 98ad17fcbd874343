// A scene whose every number can be checked on paper.

#include "measure/viewcost.h"

#include <gtest/gtest.h>

#include <cmath>

#include "findings/ranking.h"
#include "fixes/fix.h"
#include "measure/inventory.h"
#include "measure/pick.h"
#include "measure/view_meter.h"
#include "report/audit.h"
#include "scene/instances.h"
#include "support/display.h"
#include "support/meshes.h"

namespace flentro {
namespace {

/// Three boxes (12 triangles, 24 vertices) ahead at 10, 20 and 60 m, one behind; a floor of 200
/// triangles 30 m ahead; a lamp between the first two, reaching 6 m.
class Paper : public testing::Test {
protected:
    Paper() {
        scene_ = test::makeScene({{test::makeBox({2, 2, 2}), {0, 0, -11}},
                                  {test::named(test::makeGrid(10, 10, 2), "floor"), {0, 0, -32}}});
        for (const float z : {-21.0F, -61.0F, 40.0F}) addBox(z);
        target_.verticalFov = 60;
        target_.width = 1600;
        target_.height = 900;
        target_.farPlane = 100;
        target_.batching = Batching::Nothing;
        target_.limits.fill(10);
    }

    void addBox(float z) {
        Node node;
        node.name = "box at " + std::to_string(static_cast<int>(z));
        node.mesh = 0;
        node.local(2, 3) = z;
        scene_.nodes.push_back(node);
        scene_.scenes[0]["nodes"].push_back(scene_.nodes.size() - 1);
        flatten(scene_);
    }

    void addLamp(const Vec3d& at, double range, bool shadows) {
        Light light;
        light.range = static_cast<float>(range);
        scene_.lights.push_back(light);
        Node node;
        node.name = "lamp";
        node.light = static_cast<int>(scene_.lights.size()) - 1;
        node.local.topRightCorner<3, 1>() = at;
        if (shadows) node.rest["extras"]["castsShadow"] = true;
        scene_.nodes.push_back(node);
        scene_.scenes[0]["nodes"].push_back(scene_.nodes.size() - 1);
        flatten(scene_);
    }

    [[nodiscard]] double count(Measure measure) {
        return at(viewCost(scene_, target_, view_).counts, measure);
    }

    Scene scene_;
    Target target_;
    Viewpoint view_{{0, 0, 0}, 0, 0};
};

TEST_F(Paper, CountsWhatIsAhead) {
    // Three boxes ahead and the floor; the fourth box is behind.
    EXPECT_EQ(count(Measure::Objects), 4);
    EXPECT_EQ(count(Measure::Triangles), 3 * 12 + 200);
    EXPECT_EQ(count(Measure::DrawCalls), 4);
    EXPECT_EQ(count(Measure::VerticesPerMesh), 121);
    EXPECT_EQ(count(Measure::MaterialsPerObject), 1);
}

TEST_F(Paper, TurningAroundShowsTheOtherBox) {
    view_.heading = 180;
    EXPECT_EQ(count(Measure::Triangles), 12);
}

TEST_F(Paper, FarPlaneCutsTheLastBox) {
    target_.farPlane = 59.5;
    EXPECT_EQ(count(Measure::Objects), 3);
}

TEST_F(Paper, EqualBoxesAreOneCallWhereMeshesAreBatched) {
    target_.batching = Batching::Mesh;
    EXPECT_EQ(count(Measure::DrawCalls), 2);
    EXPECT_EQ(count(Measure::Triangles), 236);
}

TEST_F(Paper, WhereNodesAreBatchedBoxesShareTheCallsOfTheirNode) {
    target_.batching = Batching::Node;
    EXPECT_EQ(count(Measure::DrawCalls), 4) << "each has a node of its own";
    addLamp({0, 0, -16}, 6, true);
    EXPECT_EQ(count(Measure::DrawCalls), 4 + 2) << "two of them for the lamp";
    EXPECT_EQ(shareNodes(scene_).objects, 4U);
    EXPECT_EQ(count(Measure::DrawCalls), 2 + 1) << "as their file guarantees";
    target_.batching = Batching::Nothing;
    EXPECT_EQ(count(Measure::DrawCalls), 4 + 2);
}

TEST_F(Paper, CullingGoesByTheNearestPointOfTheBounds) {
    scene_.objects[0].culling.end = 10;  // its near face is 10 m away
    EXPECT_EQ(count(Measure::Objects), 3) << "gone from the distance on";
    scene_.objects[0].culling.end = 10.01;
    EXPECT_EQ(count(Measure::Objects), 4);
}

TEST_F(Paper, LevelIsChosenByDistanceAndScale) {
    Ladder& ladder = scene_.assets[0].ladder;
    ladder.levels.push_back({finishMesh(test::makeGrid(1, 1)), 0.1, 15});
    ladder.levels.push_back({finishMesh(test::makeFin()), 0.2, 50});
    EXPECT_EQ(levelAt(ladder, 1, 14.9), 0U);
    EXPECT_EQ(levelAt(ladder, 1, 15), 1U);
    EXPECT_EQ(levelAt(ladder, 2, 29.9), 0U) << "twice as large, twice as far";
    EXPECT_EQ(levelAt(ladder, 1, 1000), 2U);
    // Near faces at 10, 20 and 60 m: 12 + 2 + 3 triangles, and the floor.
    EXPECT_EQ(count(Measure::Triangles), 12 + 2 + 3 + 200);
    target_.batching = Batching::Mesh;
    EXPECT_EQ(count(Measure::DrawCalls), 4) << "three levels of the box, one floor";
}

TEST_F(Paper, EyesDoubleTrianglesAndWithoutSinglePassCalls) {
    target_.eyes = 2;
    EXPECT_EQ(count(Measure::Triangles), 2 * 236);
    EXPECT_EQ(count(Measure::DrawCalls), 4);
    target_.singlePass = false;
    EXPECT_EQ(count(Measure::DrawCalls), 8);
}

TEST_F(Paper, LightsCountWhenTheirRangeMeetsTheView) {
    addLamp({0, 0, -16}, 6, false);
    addLamp({0, 0, 8}, 6, false);
    EXPECT_EQ(count(Measure::Lights), 1);
    EXPECT_EQ(count(Measure::ShadowLights), 0);
}

TEST_F(Paper, ShadowLightAddsItsCastersOnce) {
    addLamp({0, 0, -16}, 6, true);
    // It reaches the boxes at 11 m (far face at 12) and 21 m (near face at 20).
    const ViewCost cost = viewCost(scene_, target_, view_);
    EXPECT_EQ(cost.shadowTriangles, 24);
    EXPECT_EQ(cost.shadowCalls, 2);
    EXPECT_EQ(at(cost.counts, Measure::Triangles), 236 + 24);
    EXPECT_EQ(at(cost.counts, Measure::ShadowLights), 1);
    scene_.objects[0].castsShadow = false;
    EXPECT_EQ(count(Measure::Triangles), 236 + 12);
}

/// Objects of the yard: boxes at 11, 21 and 61 m and behind the eye, and the floor.
TEST_F(Paper, SelectedCastersAreThoseThatAreCounted) {
    addLamp({0, 0, -16}, 6, true);
    addLamp({0, 0, -40}, 30, true);
    const auto trianglesOf = [&](const std::vector<bool>& off = {}) {
        const std::uint32_t lights[] = {0, 1};
        double sum = 0;
        for (const auto& pass : selectCasters(scene_, view_.eye, lights, off))
            for (const DrawnObject& caster : pass)
                sum += static_cast<double>(
                    scene_.asset(scene_.objects[caster.object]).level(caster.level)->triangles);
        return sum;
    };
    const auto counted = [&] { return viewCost(scene_, target_, view_).shadowTriangles; };
    // The second one reaches three boxes and the floor.
    EXPECT_EQ(trianglesOf(), 24 + 3 * 12 + 200);
    EXPECT_EQ(trianglesOf(), counted());
    scene_.objects[0].culling.shadowEnd = 5;
    EXPECT_EQ(trianglesOf(), counted());
    std::vector<bool> off(scene_.objects.size());
    off[0] = off[1] = true;
    const double without = trianglesOf(off);
    EXPECT_LT(without, counted());
    scene_.objects[1].castsShadow = false;
    EXPECT_EQ(trianglesOf(), counted());
}

TEST_F(Paper, CulledObjectsCastNoShadow) {
    addLamp({0, 0, -16}, 6, true);
    scene_.objects[0].culling.end = 5;
    EXPECT_EQ(count(Measure::Triangles), 236 - 12 + 12);
}

TEST_F(Paper, WithoutALightItsPassGoes) {
    addLamp({0, 0, -16}, 6, true);
    addLamp({0, 0, -18}, 30, false);
    const ViewMeter meter(scene_, target_);
    Without without;
    without.lights = {true, false};
    const ViewCost cost = meter.cost(view_, without);
    EXPECT_EQ(at(cost.counts, Measure::Lights), 1);
    EXPECT_EQ(at(cost.counts, Measure::ShadowLights), 0);
    EXPECT_EQ(at(cost.counts, Measure::Triangles), 236);
    ASSERT_EQ(cost.lights.size(), 1U);
    EXPECT_EQ(cost.lights[0].light, 1U);
    EXPECT_EQ(at(meter.cost(view_).counts, Measure::Triangles), 236 + 24) << "unchanged";
}

TEST_F(Paper, WithoutAnObjectItCastsNoShadowEither) {
    addLamp({0, 0, -16}, 6, true);
    Without without;
    without.objects.assign(scene_.objects.size(), false);
    without.objects[0] = true;
    const ViewCost cost = ViewMeter(scene_, target_).cost(view_, without);
    EXPECT_EQ(at(cost.counts, Measure::Triangles), 236 - 12 + 12);
    EXPECT_EQ(cost.drawn.size(), 3U);
}

TEST_F(Paper, SeveralHeadingsAtOnceAreThoseOneByOne) {
    addLamp({0, 0, -16}, 6, true);
    const ViewMeter meter(scene_, target_);
    std::vector<Viewpoint> views;
    for (int i = 0; i < 8; ++i) views.push_back({view_.eye, 45.0 * i, 0});
    const std::vector<ViewTally> together = meter.count(meter.sight(view_.eye, views));
    ASSERT_EQ(together.size(), 8U);
    for (std::size_t v = 0; v < views.size(); ++v) {
        const ViewCost alone = viewCost(scene_, target_, views[v]);
        EXPECT_EQ(together[v].counts, alone.counts) << views[v].heading;
        EXPECT_EQ(together[v].shadowTriangles, alone.shadowTriangles);
        EXPECT_EQ(together[v].vertices, alone.vertices);
    }
}

TEST_F(Paper, VerticesMaterialsAndBonesAddUp) {
    scene_.materials.resize(2);
    Mesh box = test::makeBox({2, 2, 2});
    box.parts.push_back(box.parts[0]);
    box.parts[0].material = 0;
    box.parts[1].material = 1;
    scene_.assets[0].mesh = finishMesh(box);
    Skin skin;
    skin.joints = {0, 1, 2};
    scene_.skins = {skin};
    scene_.nodes[0].skin = 0;
    const ViewCost cost = viewCost(scene_, target_, view_);
    EXPECT_EQ(cost.materials, 2) << "the floor has none of its own";
    EXPECT_EQ(cost.bones, 3);
    EXPECT_EQ(cost.vertices, 3 * static_cast<double>(scene_.assets[0].mesh->vertices) + 121);
}

TEST_F(Paper, TextureMemoryCountsDistinctTexturesWithMips) {
    Image image;
    image.width = 512;
    image.height = 256;
    scene_.images = {image};
    scene_.textures = {{"a", 0, -1, {}}, {"b", 0, -1, {}}};
    Material material;
    material.textures = {{"baseColorTexture", 0, 0}, {"normalTexture", 1, 0}};
    scene_.materials = {material, material};
    Mesh box = test::makeBox({2, 2, 2});
    box.parts.push_back(box.parts[0]);
    box.parts[0].material = 0;
    box.parts[1].material = 1;
    scene_.assets[0].mesh = finishMesh(box);
    for (TextureStorage& storage : target_.storage) storage.bytesPerTexel = 4;
    EXPECT_DOUBLE_EQ(count(Measure::TextureBytes), 512 * 256 * 4 * 4.0 / 3);
    target_.mipMaps = false;
    EXPECT_DOUBLE_EQ(count(Measure::TextureBytes), 512 * 256 * 4);
    EXPECT_EQ(count(Measure::TextureEdge), 512);
    EXPECT_EQ(count(Measure::MaterialsPerObject), 2);
    EXPECT_EQ(count(Measure::DrawCalls), 3 * 2 + 1);
    box.parts.push_back(box.parts[0]);
    scene_.assets[0].mesh = finishMesh(box);
    EXPECT_EQ(count(Measure::MaterialsPerObject), 2) << "two parts of three show the same";
    EXPECT_EQ(count(Measure::DrawCalls), 3 * 3 + 1);
}

TEST_F(Paper, WholeSceneCountsEverythingAtLevelZero) {
    scene_.objects[0].culling.end = 1;
    const ViewCost cost = wholeSceneCost(scene_, target_);
    EXPECT_EQ(at(cost.counts, Measure::Objects), 5);
    EXPECT_EQ(at(cost.counts, Measure::Triangles), 4 * 12 + 200);
}

TEST_F(Paper, LoadIsValueOverLimit) {
    target_.limits = kNoLimits;
    at(target_.limits, Measure::Triangles) = 472;
    at(target_.limits, Measure::Objects) = 2;
    const Counts load = loads(viewCost(scene_, target_, view_).counts, target_);
    EXPECT_DOUBLE_EQ(at(load, Measure::Triangles), 0.5);
    EXPECT_DOUBLE_EQ(at(load, Measure::Objects), 2);
    EXPECT_EQ(at(load, Measure::DrawCalls), 0) << "no limit, no load";
    EXPECT_EQ(worstMeasure(load), Measure::Objects);
}

TEST(Level, ComingNearerItStaysUntilTheHysteresisIsUsedUp) {
    Ladder ladder;
    ladder.levels = {{nullptr, 0, 10}, {nullptr, 0, 20}};
    ladder.hysteresis = 0.2;
    EXPECT_EQ(levelAfter(ladder, 1, 9, 0), 0U) << "going away nothing changes";
    EXPECT_EQ(levelAfter(ladder, 1, 10, 0), 1U);
    EXPECT_EQ(levelAfter(ladder, 1, 8.1, 1), 1U);
    EXPECT_EQ(levelAfter(ladder, 1, 7.9, 1), 0U);
    EXPECT_EQ(levelAfter(ladder, 2, 16.1, 1), 1U) << "twice as large";
    EXPECT_EQ(levelAfter(ladder, 1, 15.9, 2), 1U);
    EXPECT_EQ(levelAfter(ladder, 1, 1, 2), 0U);
    EXPECT_EQ(levelAfter(ladder, 1, 1, 99), 0U) << "a ladder that was longer";
}

/// Five copies in a row away from the eye, levels of 12, 6 and 2 triangles from 0, 100, 200 m.
Scene makeCrowd(std::vector<int> caps) {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 5; ++i)
        placed.push_back({test::makeBox({1, 1, 1}), {0, 0, -10.0 * (i + 1)}});
    Scene scene = test::makeScene(placed);
    Asset asset = scene.assets[0];
    const auto some = [&](std::size_t triangles) {
        Mesh mesh = *asset.mesh;
        mesh.parts[0].indices.resize(3 * triangles);
        return finishMesh(std::move(mesh));
    };
    asset.ladder.levels = {{some(6), 0, 100}, {some(2), 0, 200}};
    asset.ladder.caps = std::move(caps);
    scene.assets = {asset};
    for (Object& object : scene.objects) object.asset = 0;
    return scene;
}

TEST(Crowd, TheNearestShowTheFinestLevels) {
    Target target;
    target.farPlane = 1000;
    const Viewpoint ahead;
    const auto triangles = [&](std::vector<int> caps) {
        return at(viewCost(makeCrowd(std::move(caps)), target, ahead).counts, Measure::Triangles) /
               target.eyes;
    };
    EXPECT_EQ(triangles({}), 5 * 12);
    EXPECT_EQ(triangles({2}), 2 * 12 + 3 * 6);
    EXPECT_EQ(triangles({2, 1}), 2 * 12 + 6 + 2 * 2);
    EXPECT_EQ(triangles({0, 0}), 5 * 2) << "the last level has room for all";
    EXPECT_EQ(triangles({0, 0, 0}), 5 * 2);
    const Scene scene = makeCrowd({2, 1});
    const std::vector<std::uint32_t> expected = {0, 0, 1, 2, 2};
    const std::vector<DrawnObject> drawn = selectDrawn(scene, target, ahead);
    ASSERT_EQ(drawn.size(), 5U);
    for (std::size_t i = 0; i < 5; ++i) EXPECT_EQ(drawn[i].level, expected[i]) << i;
}

TEST(Crowd, WhoIsSwitchedOffLeavesRoomForOthers) {
    Target target;
    target.farPlane = 1000;
    const Scene scene = makeCrowd({2});
    const Without nearest{{true, false, false, false, false}, {}, {}};
    const ViewMeter meter(scene, target);
    EXPECT_EQ(at(meter.cost({}, nearest).counts, Measure::Triangles), 2 * 12 + 2 * 6);
    const Viewpoint ahead;
    const auto tallies = meter.count(meter.sight(ahead.eye, {&ahead, 1}), nearest);
    EXPECT_EQ(at(tallies[0].counts, Measure::Triangles), 2 * 12 + 2 * 6);
    const auto drawn = selectDrawn(scene, target, ahead, nullptr, nearest.objects);
    ASSERT_EQ(drawn.size(), 4U);
    EXPECT_EQ(drawn[0].level + drawn[1].level, 0U);
    EXPECT_EQ(drawn[2].level, 1U);
}

TEST(Crowd, SeveralAssetsFillTheSameCaps) {
    Scene scene = makeCrowd({2});
    scene.assets.push_back(scene.assets[0]);
    scene.objects[1].asset = scene.objects[3].asset = 1;
    Target target;
    target.farPlane = 1000;
    const auto fine = [&] {
        std::size_t count = 0;
        for (const DrawnObject& drawn : selectDrawn(scene, target, {})) count += drawn.level == 0;
        const ViewCost cost = viewCost(scene, target, {});
        for (const DrawnObject& drawn : cost.drawn) count += drawn.level == 0;
        return count;
    };
    EXPECT_EQ(fine(), 2 * 4U) << "two of each";
    scene.assets[0].ladder.crowd = scene.assets[1].ladder.crowd = "visitors";
    EXPECT_EQ(fine(), 2 * 2U) << "two of both";
    scene.assets[1].ladder.caps = {3};
    EXPECT_EQ(fine(), 2 * 3U) << "the larger count";
    EXPECT_NE(hashScene(scene), hashScene(makeCrowd({2})));
}

TEST(Hysteresis, HoldsInThePictures) {
    Scene scene = makeCrowd({});
    scene.assets[0].ladder.hysteresis = 0.2;
    scene.objects.resize(1);
    Target target;
    target.farPlane = 1000;
    std::vector<std::uint8_t> shown;
    const auto levelFrom = [&](double away) {
        const Viewpoint view{{0, 0, away - 9.5}, 0, 0};  // the front of the first box is at -9.5
        return selectDrawn(scene, target, view, &shown).at(0).level;
    };
    EXPECT_EQ(levelFrom(99), 0U);
    EXPECT_EQ(levelFrom(101), 1U);
    EXPECT_EQ(levelFrom(85), 1U) << "it stays";
    EXPECT_EQ(levelFrom(79), 0U);
    EXPECT_EQ(levelFrom(85), 0U) << "and does not come back early";
}

TEST(Crowd, ThoseBehindTheEyeCountToo) {
    Scene scene = makeCrowd({2});
    // Two copies step behind the eye, nearer than all others.
    for (std::size_t i : {3U, 4U}) {
        scene.objects[i].world(2, 3) = 2.0 + static_cast<double>(i);
        scene.objects[i].bounds =
            transformBox(scene.objects[i].world, scene.mesh(scene.objects[i]).bounds);
    }
    Target target;
    target.farPlane = 1000;
    for (const DrawnObject& drawn : selectDrawn(scene, target, {})) EXPECT_EQ(drawn.level, 1U);
    for (const DrawnObject& drawn : viewCost(scene, target, {}).drawn) EXPECT_EQ(drawn.level, 1U);
}

TEST(State, ChangesAtItsBounds) {
    EXPECT_EQ(stateOf(0.849), State::Within);
    EXPECT_EQ(stateOf(0.85), State::Near);
    EXPECT_EQ(stateOf(1.0), State::Near);
    EXPECT_EQ(stateOf(1.0001), State::Over);
}

TEST_F(Paper, RankingAddsUpCopiesAndSortsByMeasure) {
    const ViewCost cost = viewCost(scene_, target_, view_);
    const auto assets = rank(scene_, target_, cost, CostKind::Asset, Measure::Triangles);
    ASSERT_EQ(assets.size(), 2U);
    EXPECT_EQ(assets[0].name, "floor");
    EXPECT_EQ(assets[1].copies, 3U);
    EXPECT_EQ(assets[1].triangles, 36);
    EXPECT_DOUBLE_EQ(assets[0].share, 200.0 / 236);
    const auto byCalls = rank(scene_, target_, cost, CostKind::Asset, Measure::DrawCalls);
    EXPECT_EQ(byCalls[0].name, "box");
    EXPECT_EQ(byCalls[0].drawCalls, 3);
    const auto objects = rank(scene_, target_, cost, CostKind::Object, Measure::Triangles);
    EXPECT_EQ(objects.size(), 4U);
    EXPECT_EQ(objects[0].name, "floor node");
}

TEST_F(Paper, WhatAssetsCostIsTogetherWhatTheViewCosts) {
    addLamp({0, 0, -16}, 6, true);
    addLamp({0, 0, -11}, 2, true);
    Target target = target_;
    for (const Batching batching : kBatchings) {
        for (const int eyes : {1, 2}) {
            target.batching = batching;
            target.eyes = eyes;
            target.singlePass = eyes == 1;
            const ViewCost cost = viewCost(scene_, target, view_);
            double triangles = 0;
            double calls = 0;
            double shadows = 0;
            for (const CostShare& b :
                 rank(scene_, target, cost, CostKind::Asset, Measure::Triangles)) {
                triangles += b.triangles;
                calls += b.drawCalls;
                shadows += b.shadowTriangles;
            }
            EXPECT_EQ(triangles, at(cost.counts, Measure::Triangles));
            EXPECT_EQ(calls, at(cost.counts, Measure::DrawCalls));
            EXPECT_EQ(shadows, 36) << "two boxes for one lamp, one for the other";
        }
    }
}

TEST_F(Paper, SharedImagesAreDividedAmongThoseThatShowThem) {
    scene_.images.resize(1);
    scene_.images[0].width = scene_.images[0].height = 256;
    scene_.textures = {{"a", 0, -1, {}}};
    Material material;
    material.textures = {{"baseColorTexture", 0, 0}};
    scene_.materials.push_back(material);
    for (Asset& asset : scene_.assets) {
        Mesh mesh = *asset.mesh;
        mesh.parts[0].material = 0;
        asset.mesh = finishMesh(std::move(mesh));
    }
    const ViewCost cost = viewCost(scene_, target_, view_);
    double bytes = 0;
    for (const CostShare& b : rank(scene_, target_, cost, CostKind::Asset, Measure::TextureBytes))
        bytes += b.textureBytes;
    EXPECT_DOUBLE_EQ(bytes, at(cost.counts, Measure::TextureBytes));
}

TEST_F(Paper, VerticesCountWithinAPart) {
    Mesh mesh = *scene_.assets[0].mesh;
    mesh.parts.push_back(mesh.parts[0]);
    mesh.parts.push_back(mesh.parts[0]);
    scene_.assets[0].mesh = finishMesh(std::move(mesh));
    EXPECT_EQ(count(Measure::VerticesPerMesh), 121) << "three parts of 24 need no larger indices";
}

TEST_F(Paper, LightsAreRankedByTheirShadowPasses) {
    addLamp({0, 0, -18}, 30, false);
    addLamp({0, 0, -16}, 6, true);  // the boxes at 11 and 21 m
    addLamp({0, 0, -11}, 2, true);  // the first of them only
    const ViewCost cost = viewCost(scene_, target_, view_);
    const auto lights = rank(scene_, target_, cost, CostKind::Light, Measure::Triangles);
    ASSERT_EQ(lights.size(), 3U);
    const auto entry = [&](std::size_t i) {
        return std::tuple(lights[i].index, lights[i].triangles, lights[i].drawCalls);
    };
    EXPECT_EQ(entry(0), std::tuple(1U, 24.0, 2.0));
    EXPECT_EQ(entry(1), std::tuple(2U, 12.0, 1.0));
    EXPECT_EQ(entry(2), std::tuple(0U, 0.0, 0.0));
    EXPECT_DOUBLE_EQ(lights[0].share, 24.0 / 36);
}

TEST_F(Paper, RankingKnowsEveryMeasure) {
    addLamp({0, 0, -16}, 6, true);
    addLamp({0, 0, -11}, 2, false);
    const ViewCost cost = viewCost(scene_, target_, view_);
    const auto first = [&](CostKind kind, Measure measure) {
        const auto all = rank(scene_, target_, cost, kind, measure);
        return std::tuple(all.front().name, valueOf(all.front(), kind, measure), all.front().share);
    };
    EXPECT_EQ(first(CostKind::Asset, Measure::Objects), std::tuple("box", 3.0, 0.75));
    EXPECT_EQ(first(CostKind::Asset, Measure::VerticesPerMesh), std::tuple("floor", 121.0, 1.0))
        << "the largest counts: its share is of that";
    EXPECT_EQ(std::get<1>(first(CostKind::Asset, Measure::MaterialsPerObject)), 1);
    EXPECT_EQ(std::get<2>(first(CostKind::Light, Measure::Lights)), 0.5);
    const auto casters = rank(scene_, target_, cost, CostKind::Light, Measure::ShadowLights);
    EXPECT_EQ(casters[0].index, 0U);
    EXPECT_EQ(casters[0].share, 1);
    EXPECT_EQ(casters[1].share, 0);
    for (const Measure measure : kMeasures) EXPECT_TRUE(findFixKind(fixFor(measure)));
}

TEST_F(Paper, SharesOfTrianglesAddUpToOne) {
    const ViewCost cost = viewCost(scene_, target_, view_);
    const std::vector<float> shares = shareOfTriangles(scene_, cost.drawn);
    float sum = 0;
    for (const float share : shares) sum += share;
    EXPECT_NEAR(sum, 1, 1e-6);
    EXPECT_EQ(shares.back(), 0) << "the box behind";
}

TEST_F(Paper, InventoryCountsUniqueAndPlaced) {
    const Inventory inventory = takeInventory(scene_, target_);
    EXPECT_EQ(inventory.objects, 5U);
    EXPECT_EQ(inventory.uniqueTriangles, 212U);
    EXPECT_EQ(inventory.placedTriangles, 248U);
    ASSERT_EQ(inventory.assets.size(), 2U);
    EXPECT_EQ(inventory.assets[0].name, "floor");
    EXPECT_EQ(inventory.assets[1].instances, 4U);
    EXPECT_EQ(inventory.assets[1].bytesPerVertex.at("POSITION"), 12U);
    EXPECT_DOUBLE_EQ(inventory.assets[0].share + inventory.assets[1].share, 1);
}

TEST_F(Paper, InventoryTellsTexturesWithoutMipMaps) {
    Image image;
    image.name = "wood";
    image.width = image.height = 64;
    scene_.images = {image};
    scene_.samplers = {{9729, {}}};
    scene_.textures = {{"wood", 0, 0, {}}};
    Material material;
    material.textures = {{"baseColorTexture", 0, 0}};
    scene_.materials = {material, material};
    const Inventory inventory = takeInventory(scene_, target_);
    EXPECT_FALSE(inventory.textures.at(0).mipMaps);
    EXPECT_EQ(inventory.textures[0].materials, 2U);
}

TEST_F(Paper, AuditIsOverWhenAnyMeasureIs) {
    target_.limits.fill(1000);
    EXPECT_TRUE(makeAudit(scene_, target_, view_).within());
    at(target_.limits, Measure::Objects) = 3;
    const Audit audit = makeAudit(scene_, target_, view_);
    EXPECT_FALSE(audit.within());
    const Json json = toJson(audit);
    EXPECT_EQ(json["within"], false);
    EXPECT_EQ(json["measures"][2]["value"], 4);
    EXPECT_FALSE(makeAudit(scene_, target_, std::nullopt).view);
}

TEST_F(Paper, PickFindsTheNearestSurface) {
    const ViewCost cost = viewCost(scene_, target_, view_);
    const auto hit = pick(scene_, cost.drawn, {0, 0, 0}, {0, 0, -1});
    ASSERT_TRUE(hit);
    EXPECT_EQ(hit->object, 0U);
    EXPECT_NEAR(hit->distance, 10, 1e-6);
    EXPECT_TRUE(hit->point.isApprox(Vec3d(0, 0, -10), 1e-6));
    EXPECT_FALSE(pick(scene_, cost.drawn, {0, 0, 0}, {0, 1, 0}));
    const auto floor = pick(scene_, cost.drawn, {1, 5, -31}, {0, -1, 0});
    ASSERT_TRUE(floor);
    EXPECT_NEAR(floor->distance, 5, 1e-6);
}

TEST_F(Paper, PickSeesThroughBoundsThatTheRayOnlyCrosses) {
    // Over the floor's bounds but beside its surface there is nothing to hit.
    const ViewCost cost = viewCost(scene_, target_, view_);
    EXPECT_FALSE(pick(scene_, cost.drawn, {0, 0.9, -5}, Vec3d(0, 0.2, -1).normalized()));
}

TEST(ViewCost, BonesKeepCopiesFromBeingOneCall) {
    // Three copies of one mesh, as an export writes them: instances, unless bones bend them.
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {-2, 0, -9}},
                                   {test::makeBox({1, 1, 1}), {0, 0, -9}},
                                   {test::makeBox({1, 1, 1}), {2, 0, -9}}});
    for (Object& object : scene.objects) object.asset = 0;
    Target target = test::display();
    target.batching = Batching::Mesh;
    const auto calls = [&] {
        return at(viewCost(scene, target, {{0, 0, 0}, 0, 0}).counts, Measure::DrawCalls);
    };
    EXPECT_EQ(calls(), 1);
    scene.skins.resize(1);
    for (Node& node : scene.nodes)
        if (node.mesh >= 0) node.skin = 0;
    EXPECT_EQ(calls(), 3);
    Scene written = scene;
    EXPECT_EQ(shareNodes(written).objects, 0U) << "and none becomes an instance";
    for (const CostShare& share : rank(scene, target, viewCost(scene, target, {{0, 0, 0}, 0, 0}),
                                       CostKind::Asset, Measure::DrawCalls))
        EXPECT_EQ(share.drawCalls, 3);
}

}  // namespace
}  // namespace flentro
