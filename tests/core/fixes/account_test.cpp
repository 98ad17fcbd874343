// Accounts of fixes, proofs at spots, and marks of what goes: numbers that can be checked on paper.

#include "fixes/account.h"
#include "base/index.h"
#include "fixes/culling/culling.h"
#include "fixes/ladder/ladder.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/tidy/removal_preview.h"
#include "fixes/work_order.h"
#include "io/gltf.h"
#include "report/proof.h"
#include "scene/origins.h"
#include "support/display.h"
#include "support/meshes.h"
#include "support/process.h"
#include "survey/frame_times.h"

namespace flentro {
namespace {

using test::display;
using testing::ElementsAre;

/// A box north and two boxes east of the origin, 20 m away, of twelve triangles each.
Scene makeYard() {
    return test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -20}},
                            {test::named(test::makeBox({1, 2, 1}), "east"), {20, 0, 0}},
                            {test::named(test::makeBox({1, 3, 1}), "far east"), {20, 0, 3}}});
}

/// One place at the origin that looks north and east.
Evidence northAndEast() {
    Evidence evidence;
    const Vec3d eye(0, 0, 0);
    evidence.places = {{eye, {{eye, 0, 0}, {eye, 90, 0}}, {}}};
    evidence.hash = Hasher().add(1).result();
    return evidence;
}

TEST(Account, WorstViewHasTheMostOfEachMeasure) {
    const auto worst = worstOver(makeYard(), display(), northAndEast(), noProgress());
    ASSERT_TRUE(worst);
    EXPECT_EQ(at(*worst, Measure::Objects), 2) << "looking east";
    EXPECT_EQ(at(*worst, Measure::Triangles), 24);
    test::RecordingProgress stop(0);
    EXPECT_EQ(worstOver(makeYard(), display(), northAndEast(), stop).error().code,
              ErrorCode::Cancelled);
}

TEST(Account, LoadTimeIsReadDecodeAndPlace) {
    Scene scene = makeYard();
    Image image;
    image.width = 1000;
    image.height = 500;
    image.data = std::make_shared<const std::vector<std::byte>>(3000);
    scene.images = {image};
    Target target = display();
    target.loading = {1000, 250'000, 2};
    const SceneTotals held = sceneTotals(scene, target);
    EXPECT_DOUBLE_EQ(held.diskBytes, held.meshBytes + 3000);
    EXPECT_DOUBLE_EQ(held.loadSeconds, held.diskBytes / 1000 + 500'000 / 250'000.0 + 3 / 2.0);
}

TEST(Account, MeshBytesAreThoseOfTheFile) {
    // Levels share the beginning of the top's streams: they count once, as they are stored.
    Scene scene = test::makeScene({{test::makeSphere(64, 32, 2), {0, 0, -5}}});
    LadderSettings ladder;
    ladder.minTriangles = 100;
    const Target target = display();
    const auto fixed = applyLadder(scene, ladder, target, noProgress());
    ASSERT_TRUE(fixed);
    ASSERT_FALSE(fixed->scene.assets[0].ladder.empty());
    const test::TemporaryFolder folder;
    const auto sizeOf = [&](const Scene& written, LevelLayout levels) {
        GltfWriteOptions options;
        options.levels = levels;
        const std::string name = "s" + std::to_string(static_cast<int>(levels));
        EXPECT_TRUE(writeGltf(written, folder / (name + ".gltf"), options, noProgress()));
        return static_cast<double>(std::filesystem::file_size(folder / (name + ".bin")));
    };
    const double counted = sceneTotals(fixed->scene, target).meshBytes;
    EXPECT_NEAR(counted, sizeOf(fixed->scene, LevelLayout::LodExtension), 64);
    EXPECT_LT(counted, 3 * sizeOf(fixed->scene, LevelLayout::TopOnly));
}

TEST(Account, EveryStepTellsItsWorstViews) {
    WorkOrder order;
    CullingSettings culling;
    culling.overrides["east"] = 10;
    order.add(culling);
    StepCache cache;
    const auto source = std::make_shared<const Scene>(makeYard());
    const auto with = evaluate(order, source, display(), cache, noProgress(), northAndEast());
    ASSERT_TRUE(with && with->steps[0].worstBefore);
    EXPECT_EQ(at(*with->steps[0].worstBefore, Measure::Objects), 2);
    EXPECT_EQ(at(*with->steps[0].worstAfter, Measure::Objects), 1);
    const auto without = evaluate(order, source, display(), cache, noProgress());
    EXPECT_FALSE(without->steps[0].worstBefore) << "no older survey's numbers";
}

TEST(Proof, CountsSpotsOverBeforeAndAfter) {
    Target target = display();
    at(target.limits, Measure::Objects) = 1;
    const Scene before = makeYard();
    Scene after = before;
    after.objects[2].culling.end = 5;
    Evidence evidence = northAndEast();
    const Vec3d west(-500, 0, 0);
    evidence.places.push_back({west, {{west, 270, 0}}, {}});
    const Proof proof = prove(before, after, target, evidence.places);
    EXPECT_EQ(proof.overBefore, 1U);
    EXPECT_EQ(proof.overAfter, 0U);
    ASSERT_EQ(proof.spots.size(), 2U);
    EXPECT_DOUBLE_EQ(proof.spots[0].before.load, 2);
    EXPECT_EQ(proof.spots[0].before.measure, Measure::Objects);
    EXPECT_EQ(proof.spots[0].before.view.heading, 90);
    EXPECT_DOUBLE_EQ(proof.spots[0].after.load, 1);
    EXPECT_DOUBLE_EQ(proof.spots[1].before.load, 0) << "nothing to see there";
    const Json json = toJson(proof, target);
    EXPECT_EQ(json["spotsOverBefore"], 1);
    EXPECT_EQ(json["spots"][0]["before"]["measure"], "visibleObjects");
    const MeasureProof& objects = elementOf(proof.measures, Measure::Objects);
    EXPECT_DOUBLE_EQ(objects.before.load, 2);
    EXPECT_EQ(objects.before.view.heading, 90);
    EXPECT_DOUBLE_EQ(objects.after.load, 1);
    EXPECT_EQ(objects.overBefore, 1U);
    EXPECT_EQ(objects.overAfter, 0U);
    EXPECT_DOUBLE_EQ(json["measures"]["visibleObjects"]["before"], 2);
    EXPECT_EQ(json["measures"]["triangles"]["spotsOverBefore"], 0);
}

TEST(RemovalPreview, MarksTrianglesThatAreGoneOnceForEachThatWent) {
    Mesh mesh = test::makeGrid(2, 1);
    auto& indices = mesh.parts[0].indices;
    const std::vector<std::uint32_t> first(indices.begin(), indices.begin() + 3);
    indices.insert(indices.end(), first.begin(), first.end());  // there twice
    const Scene before =
        test::makeScene({{mesh, {0, 0, 0}}, {test::makeBox({1, 1, 1}), {5, 0, 0}}});
    Scene after = before;
    Mesh less = *after.assets[0].mesh;
    less.parts[0].indices.resize(indices.size() - 3);
    std::rotate(less.parts[0].indices.begin(), less.parts[0].indices.begin() + 1,
                less.parts[0].indices.begin() + 3);  // the same triangle from another corner
    after.assets[0].mesh = finishMesh(std::move(less));
    const RemovalPreview preview = previewRemoval(before, after, {1, 0, 0}, noProgress()).value();
    EXPECT_EQ(preview.triangles, 1U);
    EXPECT_EQ(preview.placed, 1U);
    const Mesh& marked = *preview.scene.assets[0].mesh;
    ASSERT_EQ(marked.parts.size(), 2U);
    EXPECT_EQ(marked.parts[0].triangleCount(), 4U);
    EXPECT_EQ(marked.parts[1].triangleCount(), 1U);
    EXPECT_EQ(elementOf(preview.scene.materials, marked.parts[1].material).name, "goes");
    EXPECT_EQ(preview.scene.assets[1].mesh, before.assets[1].mesh) << "nothing went";
}

TEST(Origins, GroupingTellsMergedAndPieces) {
    Scene scene = makeYard();
    scene.objects.push_back(scene.objects[1]);  // two pieces of the second
    scene.objects[2].origins = {2, 7, 8};       // merged
    Object far = scene.objects[0];
    far.culling.start = 100;  // a stand-in makes no pieces of what it shows
    scene.objects.push_back(far);
    EXPECT_THAT(groupingOf(scene), ElementsAre(Grouping::Single, Grouping::Piece, Grouping::Merged,
                                               Grouping::Piece, Grouping::Single));
}

TEST(Proof, NamesTheViewWhereEachMeasureIsHighest) {
    const Scene scene = test::makeScene(
        {{test::makeBox({1, 1, 1}), {0, 0, -9}}, {test::makeBox({1, 1, 1}), {0, 0, -12}}});
    const Target target = test::display();
    const auto places = placesAt({{"1", {0, 0, 0}, 0, {}}, {"2", {0, 0, 20}, 0, {}}}, 4);
    ASSERT_EQ(places.size(), 2U);
    ASSERT_EQ(places[0].views.size(), 4U);
    const Proof proof = prove(scene, scene, target, places);
    const MeasureProof& triangles = elementOf(proof.measures, Measure::Triangles);
    EXPECT_EQ(triangles.after.value, 24 * target.eyes);
    EXPECT_EQ(triangles.after.view.heading, 0) << "the only heading that sees them";
    const Json json = toJson(proof, target)["measures"][measureKey(Measure::Triangles)];
    EXPECT_EQ(json["highestAfter"]["value"], 24 * target.eyes);
    EXPECT_EQ(json["highestAfter"]["eye"].size(), 3U);
    EXPECT_EQ(json["highestBefore"]["heading"], 0);
}

TEST(Proof, FramesAreTimedByWhatTheSurveyFilledPixelsWith) {
    std::vector<test::Placed> placed = {{test::makeGrid(4, 4, 60), {-30, 0, -30}}};
    for (int i = 0; i < 40; ++i)
        placed.push_back({test::makeBox({1, 2, 1}), {2.0 * (i % 8) - 7, 1, -8 - 2.0 * (i / 8)}});
    const Scene before = test::makeScene(std::move(placed));
    Target target = test::display();
    target.frameCost = {};
    elementOf(target.frameCost, CostTerm::DrawCall) = 1000;  // a millisecond each
    elementOf(target.frameCost, CostTerm::FilledPixel) = 1;
    target.frameRate = 50;  // 20 ms
    SurveySettings settings;
    settings.faceSize = 64;
    settings.betweenHeadings = false;
    const Survey survey =
        takeSurvey(before, target, {{"1", {0, 1.7, 0}, 0, {}}, {"2", {0, 1.7, 20}, 0, {}}},
                   settings, noProgress());
    const Evidence evidence = evidenceOf(survey, before);
    Scene after = before;
    for (std::size_t i = 11; i < after.objects.size(); ++i) after.objects[i].culling.end = 0.1;
    const Proof proof = prove(before, after, target, evidence.places);
    const auto slowest = slowestView(survey).value();
    EXPECT_EQ(proof.frame.before.load, slowest.load) << "as the survey says";
    EXPECT_EQ(proof.frame.before.cost.cpu, 41);
    EXPECT_EQ(proof.frame.overBefore, 2U);
    EXPECT_EQ(proof.frame.after.cost.cpu, 11);
    EXPECT_EQ(proof.frame.overAfter, 0U);
    EXPECT_EQ(proof.frame.after.cost.gpu, proof.frame.before.cost.gpu)
        << "pixels are filled as they were";
    const Json json = toJson(proof, target)["frame"];
    EXPECT_EQ(json["limit"], 20);
    EXPECT_EQ(json["estimate"], true);
    EXPECT_EQ(json["before"]["milliseconds"], 41);
    EXPECT_EQ(json["after"]["load"], 0.55);
    EXPECT_EQ(json["before"]["heaviest"], "Draw calls, each thousand");
}

TEST(Proof, SingleAssetsCountAtTheLevelThatANearerEyeIsShown) {
    // A dense sphere whose lower level takes over at 5 m, seen from 6 m to its bounds.
    Scene scene = test::makeScene({{test::makeSphere(60, 60), {0, 0, -7}}});
    scene.assets[0].ladder.levels.push_back({finishMesh(test::makeSphere(8, 8)), 0.01, 5, 0, 0});
    const Target target = test::display();
    const auto places = placesAt({{"1", {0, 0, 0}, 0, {}}}, 8);
    const auto vertices = [&](double slack) {
        return elementOf(prove(scene, scene, target, places, slack).measures,
                         Measure::VerticesPerMesh)
            .after.value;
    };
    const auto of = [&](std::size_t level) {
        return static_cast<double>(scene.assets[0].level(level)->parts[0].vertexCount());
    };
    EXPECT_EQ(vertices(0), of(1));
    EXPECT_EQ(vertices(0.9), of(1)) << "5.1 m";
    EXPECT_EQ(vertices(1.1), of(0)) << "4.9 m: level 0 is shown to somebody";
}

}  // namespace
}  // namespace flentro
