#include "fixes/fix.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>
#include <set>

#include "fixes/work_order.h"
#include "measure/viewcost.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;

Target display() {
    Target target;
    target.height = 1080;
    target.verticalFov = 60;
    target.farPlane = 500;
    return target;
}

/// H / (2 tan 30 degrees)
constexpr double kPixelsAtOneMetre = 935.3074;

// --- tidy ---------------------------------------------------------------------------------

/// A grid with a vertex of every triangle stored apart, a degenerate and a duplicate face.
Mesh untidy() {
    const Mesh grid = test::makeGrid(3, 3);
    const Part& source = grid.parts[0];
    std::vector<std::uint32_t> order = source.indices;
    order.insert(order.end(), {0, 0, 1});
    order.insert(order.end(), {source.indices[1], source.indices[2], source.indices[0]});
    std::vector<std::uint32_t> indices(order.size());
    for (std::uint32_t i = 0; i < indices.size(); ++i) indices[i] = i;
    order.push_back(5);  // a vertex that nothing uses
    Mesh mesh;
    mesh.name = "untidy";
    mesh.parts.push_back(selectVertices(source, order, indices));
    return mesh;
}

/// Without the steps that give flat surfaces fewer triangles.
TidySettings keepFlat() {
    TidySettings settings;
    settings.dissolve = false;
    return settings;
}

TEST(Tidy, WeldsAndDropsWhatShowsNothing) {
    const Scene scene = test::makeScene({{untidy(), {0, 0, 0}}});
    ASSERT_EQ(describe(*scene.assets[0].mesh), "61v 20t");
    const Fixed fixed = applyTidy(scene, keepFlat(), noProgress()).value();
    EXPECT_EQ(describe(*fixed.scene.assets[0].mesh), "16v 18t");
    EXPECT_NEAR(test::areaOf(*fixed.scene.assets[0].mesh), 1, 1e-6);
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 of 1 assets tidied: 2 triangles"));
}

TEST(Tidy, DoesOnlyWhatItIsAskedFor) {
    const Scene scene = test::makeScene({{untidy(), {0, 0, 0}}});
    TidySettings settings{false, true, false, false, false, false, 0, {}};
    EXPECT_EQ(describe(*applyTidy(scene, settings, noProgress())->scene.assets[0].mesh), "61v 19t");
    settings = {true, false, true, true, false, false, 0, {}};
    EXPECT_EQ(describe(*applyTidy(scene, settings, noProgress())->scene.assets[0].mesh), "16v 19t");
}

TEST(Tidy, KeepsFacesThatDifferInWinding) {
    Mesh mesh;
    mesh.parts.push_back(
        test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {0, 1, 2, 0, 2, 1, 1, 2, 0}));
    const Scene scene = test::makeScene({{mesh, {0, 0, 0}}});
    EXPECT_EQ(describe(*applyTidy(scene, {}, noProgress())->scene.assets[0].mesh), "3v 2t");
}

TEST(Tidy, LeavesCleanMeshesTheSameObject) {
    const Scene scene = test::makeScene({{test::makeGrid(5, 5), {0, 0, 0}}});
    EXPECT_EQ(applyTidy(scene, keepFlat(), noProgress())->scene.assets[0].mesh,
              scene.assets[0].mesh);
}

TEST(Tidy, FlatSurfacesNeedTwoTrianglesForAnyNumberOfCells) {
    const Scene scene = test::makeScene({{test::makeGrid(16, 9, 3), {0, 0, 0}}});
    const Fixed fixed = applyTidy(scene, {}, noProgress()).value();
    const Mesh& mesh = *fixed.scene.assets[0].mesh;
    EXPECT_EQ(describe(mesh), "4v 2t");
    EXPECT_NEAR(test::areaOf(mesh), 9, 1e-5);
    const Stream& coords = *mesh.parts[0].find("TEXCOORD_0");
    std::set<std::pair<float, float>> corners;
    for (std::size_t i = 0; i < 4; ++i) corners.insert({coords.value(i, 0), coords.value(i, 1)});
    EXPECT_EQ(corners, (std::set<std::pair<float, float>>{{0, 0}, {0, 1}, {1, 0}, {1, 1}}));
}

TEST(Tidy, CurvedSurfacesAndBentPicturesStay) {
    const auto wave = [](double x, double z) { return 0.2 * x * x + 0.1 * z; };
    Mesh curved = test::makeGrid(8, 8, 1, wave);
    Mesh bent = test::makeGrid(8, 8);
    Stream coords = *bent.parts[0].find("TEXCOORD_0");
    for (std::size_t i = 0; i < coords.count(); ++i) {
        const float u = coords.value(i, 0);
        coords.set(i, 0, u * u);
    }
    for (Attribute& attribute : bent.parts[0].attributes)
        if (attribute.semantic == "TEXCOORD_0")
            attribute.stream = std::make_shared<const Stream>(coords);
    const Scene scene = test::makeScene({{curved, {0, 0, 0}}, {bent, {9, 0, 0}}});
    const Fixed fixed = applyTidy(scene, {}, noProgress()).value();
    // Straight in z: columns of the grid become one cell long; nothing goes across x.
    EXPECT_EQ(fixed.scene.assets[1].mesh->triangles, 16U);
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 16U);
    EXPECT_NEAR(test::areaOf(*fixed.scene.assets[0].mesh), test::areaOf(*scene.assets[0].mesh),
                1e-5);
}

/// `count` unit squares in a row, each with the whole picture.
Mesh makeTiles(int count) {
    std::vector<Vec3f> places;
    std::vector<Vec2f> coords;
    std::vector<std::uint32_t> indices;
    for (int i = 0; i < count; ++i) {
        const auto x = static_cast<float>(i);
        const auto first = static_cast<std::uint32_t>(places.size());
        places.insert(places.end(), {{x, 0, 0}, {x + 1, 0, 0}, {x + 1, 1, 0}, {x, 1, 0}});
        coords.insert(coords.end(), {{0, 1}, {1, 1}, {1, 0}, {0, 0}});
        for (const std::uint32_t k : {0U, 1U, 2U, 0U, 2U, 3U}) indices.push_back(first + k);
    }
    Mesh mesh;
    mesh.parts.push_back(test::makePart(places, indices));
    test::addStream(mesh.parts[0], "TEXCOORD_0", makeStream(coords));
    return mesh;
}

TEST(Tidy, FacesWithAPictureEachBecomeOneField) {
    const Scene scene = test::makeScene({{makeTiles(7), {0, 0, 0}}});
    const MeshPtr kept = applyTidy(scene, {}, noProgress())->scene.assets[0].mesh;
    const Mesh& mesh = *kept;
    EXPECT_EQ(describe(mesh), "4v 2t");
    const Stream& coords = *mesh.parts[0].find("TEXCOORD_0");
    float least = 99;
    float most = -99;
    for (std::size_t i = 0; i < 4; ++i) {
        least = std::min(least, coords.value(i, 0));
        most = std::max(most, coords.value(i, 0));
    }
    EXPECT_FLOAT_EQ(most - least, 7) << "the picture repeats seven times";
    TidySettings apart;
    apart.joinTiles = false;
    EXPECT_EQ(applyTidy(scene, apart, noProgress())->scene.assets[0].mesh->triangles, 14U);
}

TEST(Tidy, PicturesThatDoNotRepeatAreNotJoined) {
    Scene scene = test::makeScene({{makeTiles(3), {0, 0, 0}}});
    Mesh mesh = *scene.assets[0].mesh;
    mesh.parts[0].material = 0;
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    Material material;
    material.textures = {{"baseColorTexture", 0, 0}};
    scene.materials = {material};
    scene.images.resize(1);
    Texture texture;
    texture.image = 0;
    texture.sampler = 0;
    scene.textures = {texture};
    Sampler sampler;
    sampler.rest = {{"wrapS", 33071}};  // clamped to the edge
    scene.samplers = {sampler};
    EXPECT_EQ(applyTidy(scene, {}, noProgress())->scene.assets[0].mesh->triangles, 6U);
    scene.samplers[0].rest = Json::object();
    EXPECT_EQ(applyTidy(scene, {}, noProgress())->scene.assets[0].mesh->triangles, 2U);
}

TEST(Tidy, BoxesOfManyCellsKeepTheirTwelveTriangles) {
    // Six grids of 4 x 4 cells as the sides of a box: hard edges stay where they are.
    Mesh box;
    for (int side = 0; side < 6; ++side) {
        Mesh grid = test::makeGrid(4, 4);
        const double angle = side < 4 ? kPi / 2 * side : 0;
        Eigen::Matrix3f turn =
            Eigen::AngleAxisf(static_cast<float>(angle), Vec3f::UnitX()).toRotationMatrix();
        if (side >= 4)
            turn = Eigen::AngleAxisf(static_cast<float>(side == 4 ? kPi / 2 : -kPi / 2),
                                     Vec3f::UnitZ())
                       .toRotationMatrix();
        for (Attribute& attribute : grid.parts[0].attributes) {
            if (attribute.semantic == "TEXCOORD_0") continue;
            std::vector<Vec3f> values = toVectors(*attribute.stream);
            for (Vec3f& value : values) {
                if (attribute.semantic == "POSITION") {
                    value -= Vec3f(0.5F, -0.5F, 0.5F);
                    value = (value * 8).array().round() / 8;
                }
                value = turn * value;
                if (attribute.semantic == "POSITION") value = (value * 8).array().round() / 8;
            }
            attribute.stream = std::make_shared<const Stream>(makeStream(values));
        }
        box.parts.push_back(grid.parts[0]);
    }
    const Scene scene = test::makeScene({{box, {0, 0, 0}}});
    ASSERT_EQ(scene.assets[0].mesh->triangles, 192U);
    const MeshPtr kept = applyTidy(scene, {}, noProgress())->scene.assets[0].mesh;
    const Mesh& mesh = *kept;
    EXPECT_EQ(mesh.triangles, 12U);
    EXPECT_NEAR(test::areaOf(mesh), 6, 1e-4);
}

/// A grid of 7 x 7 cells without the middle one.
Mesh makeHoled() {
    Mesh mesh = test::makeGrid(7, 7, 7, [](double x, double z) { return 0.01 * x * z; });
    auto& indices = mesh.parts[0].indices;
    const auto middle = indices.begin() + std::ptrdiff_t{6} * (3 * 7 + 3);
    indices.erase(middle, middle + 6);
    return mesh;
}

TEST(Tidy, ClosesHolesBelowTheSizeToAPoint) {
    const Scene scene = test::makeScene({{makeHoled(), {0, 0, 0}}});
    TidySettings settings = keepFlat();
    ASSERT_EQ(test::describeEdges(*scene.assets[0].mesh), "32 border, 0 non-manifold");
    settings.holeSize = 1;  // the hole's diagonal is 1.41 m
    EXPECT_EQ(applyTidy(scene, settings, noProgress())->scene.assets[0].mesh, scene.assets[0].mesh);
    settings.holeSize = 1.5;
    const Fixed fixed = applyTidy(scene, settings, noProgress()).value();
    EXPECT_EQ(test::describeEdges(*fixed.scene.assets[0].mesh), "28 border, 0 non-manifold");
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 96U - 4) << "one on each edge of the hole";
    settings.holeSize = 100;
    EXPECT_EQ(test::describeEdges(*applyTidy(scene, settings, noProgress())->scene.assets[0].mesh),
              "28 border, 0 non-manifold")
        << "the outline of the sheet is no hole";
}

TEST(Tidy, DropsWhatTheSurveyHasNeverSeen) {
    const Scene scene = test::makeScene({{test::makeGrid(4, 4), {0, 0, 0}}});
    const MeshPtr& mesh = scene.assets[0].mesh;
    TidySettings settings = keepFlat();
    settings.unseen = {{mesh->name, mesh->hash, {0, 2, 30, 5}}};  // beyond the end: cut off
    const Fixed fixed = applyTidy(scene, settings, noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 32U - 2 - 2);
    ASSERT_EQ(fixed.record.assets.size(), 1U);
    EXPECT_EQ(fixed.record.assets[0].triangles, 4U);
    EXPECT_EQ(fixed.record.steps[0].triangles, 4U);
    settings.unseen = {{mesh->name, Hash{1, 2}, {0, 32}}};
    EXPECT_EQ(applyTidy(scene, settings, noProgress())->scene.assets[0].mesh, mesh)
        << "another mesh was looked at";
    settings.unseen = {{mesh->name, mesh->hash, {0, 32}}};
    EXPECT_EQ(applyTidy(scene, settings, noProgress())->scene.assets[0].mesh->triangles, 32U)
        << "all of it: left to culling";
}

TEST(Tidy, CountsWhatItSavesTimesTheCopies) {
    Scene scene = test::makeScene({{untidy(), {0, 0, 0}}});
    scene.objects.push_back(scene.objects[0]);
    scene.objects.push_back(scene.objects[0]);
    const FixRecord record = applyTidy(scene, keepFlat(), noProgress())->record;
    ASSERT_EQ(record.assets.size(), 1U);
    EXPECT_EQ(record.assets[0].triangles, 2U);
    EXPECT_EQ(record.assets[0].placed, 6U);
    std::size_t placed = 0;
    for (const Saving& step : record.steps) placed += step.placed;
    EXPECT_EQ(placed, 6U);
}

TEST(Tidy, NeverEmptiesAMesh) {
    Mesh mesh;
    mesh.parts.push_back(test::makePart({{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, {0, 1, 2}));
    const Scene scene = test::makeScene({{mesh, {0, 0, 0}}});
    EXPECT_EQ(applyTidy(scene, {}, noProgress())->scene.assets[0].mesh->parts.size(), 1U);
}

// --- ladder -------------------------------------------------------------------------------

LadderSettings plain() {
    LadderSettings settings;
    settings.trimTop = false;
    settings.minTriangles = 300;
    settings.levels = 3;
    settings.ratio = 0.4;
    return settings;
}

TEST(Ladder, MakesFallingLevelsAtRisingDistances) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
    const Ladder& ladder = fixed.scene.assets[0].ladder;
    ASSERT_EQ(ladder.levels.size(), 3U);
    std::size_t triangles = fixed.scene.assets[0].mesh->triangles;
    double distance = 0;
    for (const Ladder::Level& level : ladder.levels) {
        EXPECT_LE(static_cast<double>(level.mesh->triangles),
                  0.41 * static_cast<double>(triangles));
        EXPECT_GT(level.switchDistance, distance);
        triangles = level.mesh->triangles;
        distance = level.switchDistance;
    }
    EXPECT_EQ(scene.assets[0].ladder.levels.size(), 0U) << "the source is never touched";
}

TEST(Ladder, SwitchesWhereTheDeviationIsOnePixel) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32, 10), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.pixels = 2;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    for (const Ladder::Level& level : fixed.scene.assets[0].ladder.levels)
        EXPECT_NEAR(level.deviation * kPixelsAtOneMetre / level.switchDistance, 2, 0.01);
}

TEST(Ladder, LeavesLightMeshesAlone) {
    const Scene scene = test::makeScene({{test::makeSphere(12, 8), {0, 0, 0}}});
    const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
    EXPECT_TRUE(fixed.scene.assets[0].ladder.empty());
    EXPECT_EQ(fixed.scene.assets[0].mesh, scene.assets[0].mesh);
}

TEST(Ladder, TrimsTheTopToWhatTheNearestPlaceShows) {
    // Bumps of a tenth of a millimetre, seen from 2 m: far below a pixel of 2.1 mm.
    const Scene scene =
        test::makeScene({{test::makeGrid(60, 60, 1,
                                         [](double u, double v) {
                                             return 1e-4 * std::sin(40 * u) * std::sin(30 * v);
                                         }),
                          {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.trimTop = true;
    settings.nearest = 2;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_LT(fixed.scene.assets[0].mesh->triangles, 200U);
    EXPECT_THAT(fixed.record.summary, HasSubstr("lighter"));
}

TEST(Ladder, FollowsWhatWasDraggedByHand) {
    const Scene scene = test::makeScene({{test::makeSphere(48, 24), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.overrides["sphere"].switchDistances = {7, 21};
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    EXPECT_DOUBLE_EQ(levels[0].switchDistance, 7);
    EXPECT_DOUBLE_EQ(levels[1].switchDistance, 21);
    settings.overrides["sphere"].skip = true;
    EXPECT_TRUE(
        applyLadder(scene, settings, display(), noProgress())->scene.assets[0].ladder.empty());
}

TEST(Ladder, SmallTrianglesAskForTheNextLevelToo) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    LadderSettings settings = plain();
    const auto distances = [&] {
        std::vector<double> result;
        const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
        for (const auto& level : fixed.scene.assets[0].ladder.levels)
            result.push_back(level.switchDistance);
        return result;
    };
    const std::vector<double> byDeviation = distances();
    settings.trianglePixels = 1e-9;  // no triangle is ever that small
    EXPECT_EQ(distances(), byDeviation);
    settings.trianglePixels = 400;
    const std::vector<double> bySize = distances();
    ASSERT_EQ(bySize.size(), byDeviation.size());
    // 4 pi over 64 * 31 * 2 triangles, half of it facing: 400 pixels each at that distance.
    const double area = 0.5 * 4 * kPi / (64 * 31 * 2);
    EXPECT_NEAR(bySize[0], pixelsPerMetreAtOne(display()) * std::sqrt(area / 400), 0.1);
    EXPECT_LT(bySize[0], byDeviation[0]);
}

TEST(Ladder, ALevelMustGain) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.ratio = 0.7;
    settings.gain = 0.25;
    const auto levels = [&] {
        return applyLadder(scene, settings, display(), noProgress())
            ->scene.assets[0]
            .ladder.levels.size();
    };
    EXPECT_GT(levels(), 0U);
    settings.gain = 0.5;
    EXPECT_EQ(levels(), 0U) << "a ratio of 0.7 saves 0.3";
}

TEST(Ladder, BoxesOfHardEdgesGetRoughLevelsToo) {
    Mesh boxes = test::makeBox({1, 1, 1});
    const Part one = boxes.parts[0];
    for (int i = 1; i < 40; ++i) {
        Part moved = one;
        std::vector<Vec3f> positions = toVectors(*one.find("POSITION"));
        for (Vec3f& p : positions) p.x() += 3.0F * static_cast<float>(i);
        moved.attributes[0].stream = std::make_shared<const Stream>(makeStream(positions));
        boxes.parts.push_back(moved);
    }
    const Scene scene = test::makeScene({{boxes, {0, 0, 0}}});
    const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_FALSE(levels.empty());
    EXPECT_GE(levels[0].deviation, 0.2) << "a corner of a box, at least, and it is measured";
    EXPECT_TRUE(fixed.record.notes.empty());
    for (const Ladder::Level& level : levels)
        EXPECT_GE(level.mesh->triangles, static_cast<std::size_t>(plain().smallestLevel));
}

TEST(Ladder, SaysWhatItCouldNotReduce) {
    // Every triangle twice: four at each edge, no manifold anywhere.
    Mesh doubled = test::makeGrid(20, 20);
    auto& indices = doubled.parts[0].indices;
    const std::vector<std::uint32_t> once = indices;
    indices.insert(indices.end(), once.begin(), once.end());
    const Scene scene = test::makeScene({{doubled, {0, 0, 0}}});
    const LadderSettings settings = plain();
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_TRUE(fixed.scene.assets[0].ladder.empty());
    ASSERT_EQ(fixed.record.notes.size(), 1U);
    EXPECT_THAT(fixed.record.notes[0], HasSubstr("1 assets could not be reduced"));
}

TEST(Ladder, DeviationStepsAreKept) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 48), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.rule = LevelRule::Deviation;
    settings.levels = 5;
    settings.firstDeviation = 0.006;
    settings.deviationStep = 3;
    settings.gain = 0.05;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_GE(levels.size(), 3U);
    double allowed = settings.firstDeviation;
    for (const Ladder::Level& level : levels) {
        EXPECT_LE(level.deviation, allowed * 1.0001);
        EXPECT_GT(level.deviation, allowed / 10) << "and made use of";
        allowed *= settings.deviationStep;
    }
}

TEST(Ladder, HalvingTakesOverAtEachDoublingOfTheDistance) {
    const Scene scene = test::makeScene({{test::makeSphere(96, 64), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.rule = LevelRule::Halving;
    settings.levels = 4;
    settings.nearest = 2;
    settings.gain = 0.05;
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_EQ(levels.size(), 4U);
    double by = 4;
    for (const Ladder::Level& level : levels) {
        EXPECT_LE(level.switchDistance, by * 1.06) << "fine enough for its distance";
        by *= 2;
    }
}

TEST(Ladder, ImportanceSetsHowMuchMayBeSeen) {
    const auto firstSwitch = [](Importance importance) {
        Scene scene = test::makeScene({{test::makeSphere(48, 32), {0, 0, 0}}});
        scene.assets[0].importance = importance;
        const Fixed fixed = applyLadder(scene, plain(), display(), noProgress()).value();
        const Ladder& ladder = fixed.scene.assets[0].ladder;
        return ladder.empty() ? 0 : ladder.levels.back().switchDistance;
    };
    const double normal = firstSwitch(Importance::Normal);
    EXPECT_NEAR(firstSwitch(Importance::Hero), 2 * normal, 1e-6);
    EXPECT_NEAR(firstSwitch(Importance::Backdrop), normal / 2, 1e-6);
    EXPECT_EQ(firstSwitch(Importance::Keep), 0);
}

TEST(Ladder, PassesHysteresisAndCapsOn) {
    const Scene scene = test::makeScene({{test::makeSphere(48, 32), {0, 0, 0}}});
    LadderSettings settings = plain();
    settings.hysteresis = 0.25;
    settings.overrides[scene.assets[0].mesh->name].caps = {2, 5};
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].ladder.hysteresis, 0.25);
    EXPECT_EQ(fixed.scene.assets[0].ladder.caps, (std::vector<int>{2, 5}));
}

TEST(Ladder, CanBeCancelled) {
    const Scene scene = test::makeScene({{test::makeSphere(64, 32), {0, 0, 0}}});
    test::RecordingProgress stop(2);
    EXPECT_EQ(applyLadder(scene, plain(), display(), stop).error().code, ErrorCode::Cancelled);
}

// --- culling ------------------------------------------------------------------------------

TEST(Culling, ObjectGoesWhereItIsTheClassesPixelsTall) {
    CullingSettings settings;
    settings.classes = {{"small", 2, 8}, {"large", std::numeric_limits<double>::infinity(), 4}};
    EXPECT_NEAR(cullingDistance(settings, display(), 1), kPixelsAtOneMetre / 8, 1e-3);
    EXPECT_NEAR(cullingDistance(settings, display(), 2), 2 * kPixelsAtOneMetre / 8, 1e-3);
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 3), 490) << "500 m less two percent";
    settings.classes.back().pixels = 0;
    EXPECT_DOUBLE_EQ(cullingDistance(settings, display(), 2.1), 490) << "never by size";
}

TEST(Culling, SetsFadeBandBeforeTheEnd) {
    const Scene scene =
        test::makeScene({{test::makeBox({0.1F, 0.1F, 0.1F}), {0, 0, 0}},
                         {test::named(test::makeBox({90, 90, 90}), "hall"), {0, 0, 0}}});
    CullingSettings settings;
    settings.fade = 0.25;
    const Fixed fixed = applyCulling(scene, settings, display(), noProgress()).value();
    const Culling& culling = fixed.scene.objects[0].culling;
    EXPECT_NEAR(culling.end, std::sqrt(0.03) * kPixelsAtOneMetre / 5, 1e-2);
    EXPECT_DOUBLE_EQ(culling.fadeStart, 0.75 * culling.end);
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 of 2 objects"));
}

TEST(Culling, ScaleCountsAndOverridesWin) {
    Scene scene = test::makeScene({{test::makeBox({0.1F, 0.1F, 0.1F}), {0, 0, 0}, 2}});
    CullingSettings settings;
    settings.classes = {{"all", std::numeric_limits<double>::infinity(), 5}};
    const double end =
        applyCulling(scene, settings, display(), noProgress())->scene.objects[0].culling.end;
    EXPECT_NEAR(end, 2 * std::sqrt(0.03) * kPixelsAtOneMetre / 5, 1e-2);
    settings.overrides["box"] = 12;
    EXPECT_DOUBLE_EQ(
        applyCulling(scene, settings, display(), noProgress())->scene.objects[0].culling.end, 12);
    settings.overrides["box"] = 1e9;
    EXPECT_DOUBLE_EQ(
        applyCulling(scene, settings, display(), noProgress())->scene.objects[0].culling.end, 490)
        << "never beyond the far plane";
}

// --- settings in files --------------------------------------------------------------------

TEST(Settings, RoundTripThroughJson) {
    LadderSettings ladder = plain();
    ladder.overrides["a b"] = {true, {1, 2.5}, {3, 0}};
    ladder.rule = LevelRule::Halving;
    ladder.plainFrom = 3;
    ladder.cardPixels = 64;
    CullingSettings culling;
    culling.overrides["x"] = 9;
    culling.classes[0].pixels = 7.5;
    TidySettings tidy;
    tidy.weld = false;
    tidy.holeSize = 0.02;
    tidy.unseen = {{"crate", Hash{0x0123456789ABCDEF, 42}, {3, 4, 9, 1}}};
    for (const FixSettings& settings :
         {FixSettings(tidy), FixSettings(ladder), FixSettings(culling)}) {
        const Json json = toJson(settings);
        const auto back = parseSettings(fixKey(settings), json);
        ASSERT_TRUE(back) << describe(back.error());
        EXPECT_EQ(toJson(*back), json);
    }
}

TEST(Settings, RefuseWhatIsOutOfRange) {
    EXPECT_THAT(parseSettings("ladder", {{"rule", "best"}}).error().what,
                HasSubstr("'rule' must be one of: ratio, deviation, halving"));
    EXPECT_THAT(parseSettings("ladder", {{"ratio", 2}}).error().what, HasSubstr("'ratio' must be"));
    EXPECT_THAT(parseSettings("ladder", {{"pixels", "many"}}).error().what, HasSubstr("'pixels'"));
    for (const Json& unseen : {Json{{"mesh", "short"}, {"runs", {1, 2}}},
                               Json{{"mesh", std::string(32, 'a')}, {"runs", {1, 2, 3}}},
                               Json{{"mesh", std::string(32, 'a')}, {"runs", {-1, 2}}}})
        EXPECT_THAT(parseSettings("tidy", {{"unseen", Json::array({unseen})}}).error().what,
                    HasSubstr("pairs of first triangle and count"));
    EXPECT_THAT(parseSettings("culling", {{"fade", -1}}).error().what, HasSubstr("'fade'"));
    const Json falling = {{"classes", {{{"largest", 5}}, {{"largest", 2}}}}};
    EXPECT_THAT(parseSettings("culling", falling).error().what, HasSubstr("must rise"));
    EXPECT_THAT(parseSettings("polish", {}).error().what, HasSubstr("no fix called 'polish'"));
}

TEST(Settings, DefaultsExistForEveryFix) {
    for (const char* key : {"tidy", "ladder", "culling"}) {
        const auto settings = makeSettings(key);
        ASSERT_TRUE(settings) << key;
        EXPECT_STREQ(fixKey(*settings), key);
    }
    EXPECT_FALSE(makeSettings("magic"));
}

// --- work order ---------------------------------------------------------------------------

class Order : public testing::Test {
protected:
    Order()
        : source_(std::make_shared<const Scene>(
              test::makeScene({{test::makeSphere(48, 24), {0, 0, -20}}, {untidy(), {0, 0, -5}}}))) {
        order_.add(TidySettings{});
        order_.add(plain());
        order_.add(CullingSettings{});
    }
    Evaluation run(Progress& progress = noProgress()) {
        return evaluate(order_, source_, display(), cache_, progress).value();
    }
    std::shared_ptr<const Scene> source_;
    WorkOrder order_;
    StepCache cache_;
};

TEST_F(Order, FoldsItsFixesOverTheSource) {
    const Hash before = hashScene(*source_);
    const Evaluation evaluation = run();
    ASSERT_EQ(evaluation.steps.size(), 3U);
    EXPECT_FALSE(evaluation.result().assets[0].ladder.empty());
    EXPECT_EQ(evaluation.result().assets[1].mesh->triangles, 2U) << "a flat square";
    EXPECT_TRUE(std::isfinite(evaluation.result().objects[0].culling.end));
    EXPECT_EQ(hashScene(*source_), before) << "the source is never changed";
}

TEST_F(Order, FollowsTheMarksOfImportance) {
    const std::string ball = source_->assets[0].mesh->name;
    const std::string square = source_->assets[1].mesh->name;
    order_.importance = {{ball, Importance::Hero}, {square, Importance::Keep}};
    const Evaluation marked = run();
    EXPECT_EQ(marked.result().assets[1].mesh, source_->assets[1].mesh) << "kept as it is";
    EXPECT_EQ(marked.source, source_) << "the source carries no marks";
    order_.importance.erase(ball);
    const Evaluation plainly = run();
    EXPECT_NEAR(marked.result().assets[0].ladder.levels.back().switchDistance,
                2 * plainly.result().assets[0].ladder.levels.back().switchDistance, 1e-6);
    const auto back = parseWorkOrder(toJson(order_), "o.json");
    ASSERT_TRUE(back);
    EXPECT_EQ(back->importance, order_.importance);
    Json wrong = toJson(order_);
    wrong["importance"][square] = "darling";
    EXPECT_THAT(parseWorkOrder(wrong, "o.json").error().what,
                HasSubstr("must be hero, normal, backdrop or keep"));
}

TEST_F(Order, ImportanceSetsWhereThingsGo) {
    const double normal = cullingDistance({}, display(), 0.5);
    EXPECT_DOUBLE_EQ(cullingDistance({}, display(), 0.5, Importance::Hero), 2 * normal);
    EXPECT_DOUBLE_EQ(cullingDistance({}, display(), 0.5, Importance::Backdrop), normal / 2);
    EXPECT_DOUBLE_EQ(cullingDistance({}, display(), 0.5, Importance::Keep),
                     display().farPlane * (1 - CullingSettings().margin));
}

TEST_F(Order, SwitchingOneOffRecomputesOnlyWhatFollows) {
    const Evaluation first = run();
    order_.fixes[2].on = false;
    const Evaluation without = run();
    ASSERT_EQ(without.steps.size(), 2U);
    EXPECT_EQ(without.steps[1].result, first.steps[1].result) << "taken from the cache";
    order_.fixes[2].on = true;
    EXPECT_EQ(run().steps[2].result, first.steps[2].result);
    order_.fixes[0].on = false;
    const Evaluation changed = run();
    EXPECT_NE(changed.steps[0].result, first.steps[1].result);
}

TEST_F(Order, OrderMattersAndIdsStay) {
    std::swap(order_.fixes[0], order_.fixes[2]);
    const Evaluation evaluation = run();
    EXPECT_EQ(evaluation.steps[0].fix, 3);
    EXPECT_EQ(order_.add(TidySettings{}).id, 4);
    EXPECT_EQ(order_.find(2)->settings.index(), 1U);
    EXPECT_EQ(order_.find(99), nullptr);
}

TEST_F(Order, TargetIsPartOfTheKey) {
    const Evaluation first = run();
    Target other = display();
    other.height = 2160;
    const Evaluation second = evaluate(order_, source_, other, cache_, noProgress()).value();
    EXPECT_GT(second.result().assets[0].ladder.levels[0].switchDistance,
              first.result().assets[0].ladder.levels[0].switchDistance);
}

TEST_F(Order, EmptyOrderGivesTheSource) {
    order_.fixes.clear();
    EXPECT_EQ(&run().result(), source_.get());
}

TEST_F(Order, CancellingIsAnOutcome) {
    test::RecordingProgress stop(0);
    const auto evaluation = evaluate(order_, source_, display(), cache_, stop);
    ASSERT_FALSE(evaluation);
    EXPECT_EQ(evaluation.error().code, ErrorCode::Cancelled);
}

TEST_F(Order, RoundTripsThroughJson) {
    order_.fixes[1].on = false;
    const Json json = toJson(order_);
    const WorkOrder back = parseWorkOrder(json, "order.json").value();
    EXPECT_EQ(toJson(back), json);
    EXPECT_FALSE(back.fixes[1].on);
}

TEST_F(Order, RefusesFilesThatAreNoOrder) {
    EXPECT_FALSE(parseWorkOrder({{"format", "other"}}, "o.json"));
    EXPECT_EQ(
        parseWorkOrder({{"format", "flentro-work-order"}, {"version", 9}}, "o.json").error().code,
        ErrorCode::Unsupported);
    Json json = toJson(order_);
    json["fixes"][1]["settings"]["levels"] = 99;
    const auto bad = parseWorkOrder(json, "o.json");
    ASSERT_FALSE(bad);
    EXPECT_EQ(bad.error().where, "o.json: fix 2 (ladder)");
}

TEST_F(Order, CacheForgetsTheOldest) {
    const auto result = std::make_shared<const Fixed>();
    for (std::uint64_t i = 0; i < 100; ++i) cache_.insert({i, 0}, result);
    EXPECT_EQ(cache_.find({0, 0}), nullptr);
    EXPECT_EQ(cache_.find({99, 0}), result);
}

TEST_F(Order, ResultCostsLess) {
    const Viewpoint view{{0, 0, 0}, 0, 0};
    const Evaluation evaluation = run();
    const double before = at(viewCost(*source_, display(), view).counts, Measure::Triangles);
    const double after =
        at(viewCost(evaluation.result(), display(), view).counts, Measure::Triangles);
    EXPECT_LT(after, 0.5 * before);
}

}  // namespace
}  // namespace flentro
