// Splitting: the same surface in more objects.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/culling/culling.h"
#include "fixes/fix.h"
#include "fixes/ladder/ladder.h"
#include "fixes/split/split.h"
#include "io/gltf_materials.h"
#include "scene/origins.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/surface.h"

namespace flentro {
namespace {

using testing::HasSubstr;

SplitSettings onlyCells(double cell) {
    SplitSettings settings;
    settings.transparent = false;
    settings.minGap = 0;
    settings.cell = cell;
    settings.minCellTriangles = 1;
    return settings;
}

TEST(Split, LargeMeshesBecomeCellsThatMeet) {
    // 40 m square of 40 x 40 quads: cells of 10 m make 4 x 4 pieces of 200 triangles.
    const Scene scene = test::makeScene({{test::makeGrid(40, 40, 40), {3, 0, -8}}});
    const Fixed fixed = applySplit(scene, onlyCells(10), noProgress()).value();
    EXPECT_EQ(fixed.scene.objects.size(), 16U);
    EXPECT_EQ(fixed.scene.assets.size(), 16U);
    for (const Object& object : fixed.scene.objects) {
        EXPECT_EQ(fixed.scene.mesh(object).triangles, 200U);
        EXPECT_EQ(object.origins, std::vector<std::uint32_t>{0});
    }
    EXPECT_EQ(test::differenceOfSurfaces(scene, fixed.scene, 0), "") << "not a bit is moved";
    Scene again = fixed.scene;
    flatten(again);
    EXPECT_EQ(test::differenceOfSurfaces(scene, again, 0), "") << "nodes say the same";
    EXPECT_EQ(OriginMap(fixed.scene).shownBy(0).size(), 16U);
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 into cells"));
}

TEST(Split, CellsMeetAtAnyLevels) {
    const Scene scene = test::makeScene(
        {{test::makeGrid(40, 40, 40,
                         [](double x, double z) { return std::sin(x / 3) + std::cos(z / 4); }),
          {}}});
    const Scene cells = applySplit(scene, onlyCells(10), noProgress())->scene;
    LadderSettings settings;
    settings.minTriangles = 50;
    settings.simplifyLevel0 = false;
    const Scene made = applyLadder(cells, settings, test::display(), noProgress())->scene;
    std::size_t levels = 0;
    for (const Asset& asset : made.assets) levels += asset.ladder.levels.size();
    ASSERT_GE(levels, 16U);
    // All of one level, and a chequer of two: no open edge but the square's own border.
    for (const bool chequer : {false, true}) {
        Mesh together;
        for (std::size_t i = 0; i < made.objects.size(); ++i) {
            const Asset& asset = made.asset(made.objects[i]);
            const bool coarse = !chequer || (i / 4 + i) % 2 == 0;
            const MeshPtr shown = asset.level(coarse ? asset.ladder.levels.size() : 0);
            together.parts.insert(together.parts.end(), shown->parts.begin(), shown->parts.end());
        }
        EXPECT_THAT(test::describeEdges(together), HasSubstr(", 0 non-manifold"));
        std::size_t border = 0;
        ASSERT_EQ(std::sscanf(test::describeEdges(together).c_str(), "%zu", &border), 1);
        EXPECT_LE(border, 160U) << "of the whole square";
    }
}

TEST(Split, WhatIsSmallOrCoarseStays) {
    const Scene scene =
        test::makeScene({{test::makeGrid(8, 8, 40), {}}, {test::makeGrid(40, 40, 12), {}}});
    SplitSettings settings = onlyCells(10);
    EXPECT_EQ(applySplit(scene, settings, noProgress())->scene.objects.size(), 16U + 1)
        << "the second is hardly larger than a cell";
    settings.minCellTriangles = 30;  // of 128: four cells at the most
    EXPECT_EQ(applySplit(scene, settings, noProgress())->scene.objects.size(), 4U + 1);
    settings.minCellTriangles = 100;
    EXPECT_EQ(applySplit(scene, settings, noProgress())->scene.objects.size(), 2U);
}

TEST(Split, ScaleDecidesHowLargeAMeshIs) {
    const Scene scene = test::makeScene({{test::makeGrid(40, 40, 4), {}, 10}});
    EXPECT_EQ(applySplit(scene, onlyCells(10), noProgress())->scene.objects.size(), 16U);
}

/// Two boxes, `gap` metres between them, in one mesh.
Mesh makePair(float gap) {
    Mesh pair = test::makeBox({1, 1, 1});
    Part second = pair.parts[0];
    std::vector<Vec3f> points = positionsOf(second);
    for (Vec3f& p : points) p.x() += 1 + gap;
    second.set("POSITION", makeStream(points));
    pair.parts.push_back(second);
    return test::named(pair, "pair");
}

TEST(Split, LoosePiecesFarApartBecomeObjects) {
    SplitSettings settings;
    settings.minGap = 10;
    const auto objects = [&](float gap) {
        return applySplit(test::makeScene({{makePair(gap), {}}}), settings, noProgress())
            ->scene.objects.size();
    };
    EXPECT_EQ(objects(30), 2U);
    EXPECT_EQ(objects(5), 1U);
    settings.minGap = 0;
    EXPECT_EQ(objects(30), 1U);
}

TEST(Split, GlassLeavesTheFrame) {
    Scene scene = test::makeScene({{makePair(0.1F), {1, 2, 3}}});
    scene.materials = {parseMaterial({{"name", "brass"}}),
                       parseMaterial({{"name", "glass"}, {"alphaMode", "BLEND"}})};
    Mesh mesh = *scene.assets[0].mesh;
    mesh.parts[1].material = 1;
    mesh.parts[0].material = 0;
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    const Scene split = applySplit(scene, {}, noProgress())->scene;
    ASSERT_EQ(split.objects.size(), 2U);
    EXPECT_EQ(split.objects[0].world, split.objects[1].world) << "the same pivot";
    EXPECT_EQ(split.mesh(split.objects[0]).parts[0].material, 0);
    EXPECT_EQ(split.mesh(split.objects[1]).parts[0].material, 1);
    CullingSettings culling;
    culling.transparent = 0.5;
    culling.rounded = false;
    const Scene culled = applyCulling(split, culling, test::display(), {}, noProgress())->scene;
    EXPECT_NEAR(culled.objects[1].culling.end, 0.5 * culled.objects[0].culling.end, 1e-6)
        << "the glass goes earlier";
}

TEST(Split, InstancesKeepTheirPlaces) {
    Scene scene = test::makeScene({{makePair(30), {}}});
    Mat4d turn = Mat4d::Identity();
    turn(0, 3) = 7;
    scene.nodes[0].instances = {Mat4d::Identity(), turn};
    flatten(scene);
    const Scene split = applySplit(scene, {}, noProgress())->scene;
    EXPECT_EQ(split.objects.size(), 4U);
    EXPECT_EQ(test::differenceOfSurfaces(scene, split, 0), "");
    Scene again = split;
    flatten(again);
    EXPECT_EQ(test::differenceOfSurfaces(scene, again, 0), "");
}

TEST(Split, WhatBendsOrHasLevelsStays) {
    Scene scene = test::makeScene({{makePair(30), {}}});
    scene.assets[0].ladder.levels.push_back({scene.assets[0].mesh, 0, 10});
    const Fixed fixed = applySplit(scene, {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.objects.size(), 1U);
    EXPECT_THAT(fixed.record.notes, testing::Contains(HasSubstr("1 asset stays whole")));
}

}  // namespace
}  // namespace flentro
