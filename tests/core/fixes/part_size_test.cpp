// Part size: the same surface in parts that short indices reach.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <algorithm>

#include "fixes/ladder/ladder.h"
#include "fixes/merge/merge.h"
#include "fixes/part_size/part_size.h"
#include "io/gltf.h"
#include "scene/origins.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/process.h"
#include "support/surface.h"

namespace flentro {
namespace {

using testing::HasSubstr;

Fixed sized(const Scene& scene, std::size_t maxVertices) {
    return applyPartSize(scene, {maxVertices}, test::display(), noProgress()).value();
}

std::size_t largestPart(const Scene& scene) {
    std::size_t most = 0;
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts)
                most = std::max(most, part.vertexCount());
    return most;
}

TEST(PartSize, CutsUntilEveryPartFitsAndMovesNothing) {
    // 101 x 101 vertices: halved five times, 32 strips and squares of about 350.
    const Scene scene = test::makeScene({{test::makeGrid(100, 100, 10), {}}});
    const Fixed fixed = sized(scene, 500);
    EXPECT_EQ(fixed.scene.objects.size(), 1U) << "one object still";
    EXPECT_EQ(fixed.scene.assets[0].mesh->parts.size(), 32U);
    EXPECT_LE(largestPart(fixed.scene), 500U);
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 20000U);
    EXPECT_EQ(test::differenceOfSurfaces(scene, fixed.scene, 0), "");
    EXPECT_THAT(fixed.record.summary, HasSubstr("at most 500 vertices: 31 parts more"));
}

TEST(PartSize, GoesByTheTargetAndByShortIndices) {
    const Scene scene = test::makeScene({{test::makeGrid(260, 260, 10), {}}});  // 68,121 vertices
    Target target = test::display();
    at(target.limits, Measure::VerticesPerMesh) = kNoLimit;
    const auto partsFor = [&](double limit) {
        at(target.limits, Measure::VerticesPerMesh) = limit;
        const Fixed fixed = applyPartSize(scene, {}, target, noProgress()).value();
        return fixed.scene.assets[0].mesh->parts.size();
    };
    EXPECT_EQ(partsFor(kNoLimit), 2U) << "indices of two bytes";
    EXPECT_EQ(partsFor(30000), 4U);
    EXPECT_LE(partsFor(0), 4096U) << "none allowed is no reason for a part a triangle";
}

TEST(PartSize, WhatFitsIsKeptOrIsNoTriangleStays) {
    Scene scene = test::makeScene({{test::makeGrid(10, 10, 10), {}},
                                   {test::makeGrid(40, 40, 10), {20, 0, 0}},
                                   {test::makeGrid(40, 39, 10), {40, 0, 0}}});
    scene.assets[1].importance = Importance::Keep;
    Mesh points = *scene.assets[2].mesh;
    points.parts[0].mode = 0;
    scene.assets[2].mesh = finishMesh(std::move(points));
    const Fixed fixed = sized(scene, 200);
    for (std::size_t i = 0; i < 3; ++i)
        EXPECT_EQ(fixed.scene.assets[i].mesh, scene.assets[i].mesh) << i;
    EXPECT_THAT(fixed.record.notes, testing::Contains(HasSubstr("1 part stays larger")));
}

TEST(PartSize, LevelsMorphsAndMaterialsComeAlong) {
    Mesh mesh = test::makeGrid(60, 60, 10, [](double x, double z) { return std::sin(x) * z; });
    mesh.parts[0].rest = {{"extras", {{"author", "somebody"}}}};
    Scene scene = test::makeScene({{std::move(mesh), {}}});
    LadderSettings ladder;
    ladder.minTriangles = 50;
    scene = applyLadder(scene, ladder, test::display(), noProgress())->scene;
    ASSERT_GE(scene.assets[0].levelCount(), 3U);
    const Fixed fixed = sized(scene, 300);
    EXPECT_LE(largestPart(fixed.scene), 300U);
    for (std::size_t level = 0; level < scene.assets[0].levelCount(); ++level)
        EXPECT_EQ(fixed.scene.assets[0].level(level)->triangles,
                  scene.assets[0].level(level)->triangles);
    for (const Part& part : fixed.scene.assets[0].mesh->parts)
        EXPECT_EQ(part.rest["extras"]["author"], "somebody");

    Scene bending = test::makeScene({{test::makeGrid(40, 40, 10), {}}});
    Mesh morphed = *bending.assets[0].mesh;
    std::vector<Vec3f> moves(morphed.parts[0].vertexCount(), Vec3f::Zero());
    moves.back() = {0, 5, 0};
    morphed.parts[0].targets = {{{"POSITION", std::make_shared<const Stream>(makeStream(moves))}}};
    bending.assets[0].mesh = finishMesh(std::move(morphed));
    const Scene cut = sized(bending, 300).scene;
    std::size_t moved = 0;
    for (const Part& part : cut.assets[0].mesh->parts) {
        ASSERT_EQ(part.targets.size(), 1U);
        for (const Vec3f& move : toVectors(*part.targets[0][0].stream)) moved += move.y() == 5;
    }
    EXPECT_GE(moved, 1U);
}

TEST(PartSize, MergedTrianglesStillKnowWhereTheyCameFrom) {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 4; ++i) placed.push_back({test::makeGrid(15, 15, 2), {3.0 * i, 0, 0}});
    Scene scene = test::makeScene(placed);
    numberOrigins(scene);
    MergeSettings merge;
    merge.parcel = 50;
    const Scene merged = applyMerge(scene, merge, test::display(), {}, noProgress())->scene;
    ASSERT_EQ(merged.objects.size(), 1U);
    const Scene cut = sized(merged, 200).scene;
    ASSERT_GT(cut.assets[0].mesh->parts.size(), 4U);
    std::vector<std::size_t> triangles(4, 0);
    for (const MergedRange& range : cut.assets[0].ranges) {
        ASSERT_LT(range.part, cut.assets[0].mesh->parts.size());
        ASSERT_LE(range.first + range.triangles,
                  cut.assets[0].mesh->parts[range.part].triangleCount());
        triangles[range.origin] += range.triangles;
    }
    EXPECT_THAT(triangles, testing::Each(450U));
}

TEST(PartSize, TheFileIsSoundAndReadsBackTheSame) {
    const Scene scene = test::makeScene({{test::makeGrid(80, 80, 10), {}}});
    const Scene cut = sized(scene, 1000).scene;
    const test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(cut, folder / "cut.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "cut.glb"), "");
    const Scene again = readGltf(folder / "cut.glb", noProgress()).value();
    EXPECT_EQ(again.assets[0].mesh->parts.size(), cut.assets[0].mesh->parts.size());
    EXPECT_EQ(test::differenceOfSurfaces(scene, again, 0), "");
}

TEST(PartSize, StopsWhenAsked) {
    const Scene scene = test::makeScene({{test::makeGrid(100, 100, 10), {}}});
    test::RecordingProgress stopping(0);
    EXPECT_EQ(applyPartSize(scene, {100}, test::display(), stopping).error().code,
              ErrorCode::Cancelled);
}

}  // namespace
}  // namespace flentro
