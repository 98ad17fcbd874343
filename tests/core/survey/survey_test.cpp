// Rooms whose visibility can be reasoned on paper.

#include "survey/survey.h"
#include "base/index.h"
#include "survey/analysis.h"

#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <cmath>

#include "io/image.h"
#include "support/lights.h"
#include "support/meshes.h"
#include "support/process.h"
#include "support/surveys.h"
#include "survey/recounted.h"
#include "survey/survey_file.h"

namespace flentro {
namespace {

using test::ground;
using test::makeBox;
using test::named;
using test::plainSurvey;
using test::seenFrom;
using test::spotsAt;
using test::surveyDisplay;
using test::surveyed;

/// A square in the plane z = 0 that faces +z, with texture coordinates.
Mesh makePane(float width, float height, int material = -1) {
    const float w = width / 2;
    const float h = height / 2;
    Part part =
        test::makePart({{-w, -h, 0}, {w, -h, 0}, {w, h, 0}, {-w, h, 0}}, {0, 1, 2, 0, 2, 3});
    test::addStream(part, "TEXCOORD_0",
                    makeStream(std::vector<Vec2f>{{0, 1}, {1, 1}, {1, 0}, {0, 0}}));
    part.material = material;
    Mesh mesh;
    mesh.name = "pane";
    mesh.parts.push_back(std::move(part));
    return mesh;
}

/// A box seen from inside: its faces look inward.
Mesh makeRoom(const Vec3f& size) {
    Mesh room = makeBox(size);
    for (Part& part : room.parts)
        for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3)
            std::swap(part.indices[i + 1], part.indices[i + 2]);
    room.name = "room";
    return room;
}

int addMaterial(Scene& scene, AlphaMode mode, std::uint8_t leftAlpha, std::uint8_t rightAlpha) {
    constexpr int kEdge = 16;
    std::vector<std::uint8_t> pixels;
    for (int y = 0; y < kEdge; ++y)
        for (int x = 0; x < kEdge; ++x)
            pixels.insert(pixels.end(), {200, 200, 200, x < kEdge / 2 ? leftAlpha : rightAlpha});
    Image image;
    image.width = image.height = kEdge;
    image.channels = 4;
    image.data =
        std::make_shared<const std::vector<std::byte>>(encodePng(pixels.data(), kEdge, kEdge, 4));
    scene.images.push_back(image);
    scene.textures.push_back({"pane", static_cast<int>(scene.images.size()) - 1, -1, {}});
    Material material;
    material.alphaMode = mode;
    material.textures = {{"baseColorTexture", static_cast<int>(scene.textures.size()) - 1, 0}};
    scene.materials.push_back(material);
    return static_cast<int>(scene.materials.size()) - 1;
}

// --- what is seen -------------------------------------------------------------------------

TEST(Seen, BoxInABoxIsHiddenFromOutside) {
    const Scene scene = test::makeScene(
        {{makeBox({4, 4, 4}), {0, 0, -10}}, {named(makeBox({1, 1, 1}), "inner"), {0, 0, -10}}});
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}));
    EXPECT_EQ(seenFrom(result), (std::vector<std::uint32_t>{0}));
    EXPECT_EQ(result.seen.objects[1].spots, 0U);
    EXPECT_EQ(at(result.spots[0].tallies[0].counts, Measure::Objects), 2) << "both are drawn";
}

TEST(Seen, FromInsideARoomNothingOutsideIsSeen) {
    const Scene scene = test::makeScene({{makeRoom({6, 4, 6}), {0, 0, 0}},
                                         {named(makeBox({1, 1, 1}), "chair"), {1, 0, -2}},
                                         {named(makeBox({1, 1, 1}), "outside"), {0, 0, -9}}});
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, BackFacesLetRaysThroughUnlessTwoSided) {
    Scene scene = test::makeScene({{makePane(4, 4), {0, 0, -5}}, {makeBox({1, 1, 1}), {0, 0, -9}}});
    scene.nodes[0].local(0, 0) = scene.nodes[0].local(2, 2) = -1;  // faces away
    flatten(scene);
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))), (std::vector<std::uint32_t>{1}));
    Material material;
    material.doubleSided = true;
    scene.materials.push_back(material);
    scene.assets[0].mesh = finishMesh(makePane(4, 4, 0));
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))), (std::vector<std::uint32_t>{0}));
}

TEST(Seen, MirroredCopiesKeepTheirFronts) {
    Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -5}}});
    scene.nodes[0].local(0, 0) = -1;
    flatten(scene);
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))).size(), 1U);
    EXPECT_TRUE(seenFrom(surveyed(scene, spotsAt({{0, 0, -10}}))).empty());
}

TEST(Seen, DoorwayShowsWhatStandsInLine) {
    // A wall at z = -5 with a gap from x = -1 to 1; one box behind the gap, one behind the wall.
    const Scene scene = test::makeScene({{named(makeBox({9, 6, 0.2F}), "left wall"), {-5.5, 0, -5}},
                                         {named(makeBox({9, 6, 0.2F}), "right wall"), {5.5, 0, -5}},
                                         {named(makeBox({1, 1, 1}), "in line"), {0, 0, -12}},
                                         {named(makeBox({1, 1, 1}), "aside"), {6, 0, -8}}});
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}, {-3, 0, 0}}), plainSurvey(128));
    EXPECT_EQ(seenFrom(result, 0), (std::vector<std::uint32_t>{0, 1, 2}));
    // From (-3, 0, 0) the line through the gap's right edge passes x = 3.4 at z = -8.
    EXPECT_EQ(seenFrom(result, 1), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, HolesOfAMaskedWindowShowWhatIsBehind) {
    Scene scene = test::makeScene({{makePane(8, 8), {0, 0, -5}},
                                   {named(makeBox({1, 1, 1}), "behind the hole"), {-2, 0, -8}},
                                   {named(makeBox({1, 1, 1}), "behind the pane"), {2, 0, -8}}});
    const int masked = addMaterial(scene, AlphaMode::Mask, 0, 255);
    scene.assets[0].mesh = finishMesh(makePane(8, 8, masked));
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, GlassIsSeenAndSeenThrough) {
    Scene scene = test::makeScene({{makePane(8, 8), {0, 0, -5}}, {makeBox({1, 1, 1}), {0, 0, -8}}});
    const int glass = addMaterial(scene, AlphaMode::Blend, 80, 80);
    scene.assets[0].mesh = finishMesh(makePane(8, 8, glass));
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, CulledAndTooFarIsNotSeenAndHidesNothing) {
    Scene scene =
        test::makeScene({{makePane(8, 8), {0, 0, -5}}, {makeBox({4, 4, 4}), {0, 0, -60}}});
    scene.objects[0].culling.end = 4;
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))), (std::vector<std::uint32_t>{1}));
    Target target = surveyDisplay();
    target.farPlane = 50;
    EXPECT_TRUE(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}), plainSurvey(), target)).empty());
}

TEST(Seen, FlattenedObjectsAreBaked) {
    Scene scene = test::makeScene({{makeBox({2, 2, 2}), {0, 0, -5}}});
    scene.nodes[0].local(2, 2) = 0;  // no thickness: its transform cannot be inverted
    flatten(scene);
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}))).size(), 1U);
}

// --- numbers ------------------------------------------------------------------------------

TEST(Seen, PixelsAreThoseOfTheSolidAngle) {
    const Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -10}}});
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}), plainSurvey(384));
    // Rectangle with half sides a, b at distance d: 4 atan(ab / (d sqrt(a^2 + b^2 + d^2))).
    const double solidAngle = 4 * std::atan(1 / (10 * std::sqrt(102.0)));
    const double perMetre = 450 / std::tan(kPi / 6);
    const double expected = solidAngle * perMetre * perMetre;
    const SeenObject& pane = result.spots[0].seen.objects.at(0);
    EXPECT_NEAR(static_cast<double>(pane.pixels), expected, 0.03 * expected);
    EXPECT_NEAR(static_cast<double>(pane.distance), 10, 0.01);
    EXPECT_EQ(result.seen.objects[0].spots, 1U);
}

TEST(Seen, AllDirectionsTogetherAreTheWholeSphere) {
    const Scene scene = test::makeScene({{makeRoom({6, 4, 6}), {0, 0, 0}}});
    const double perMetre = 450 / std::tan(kPi / 6);
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}), plainSurvey(128));
    EXPECT_NEAR(static_cast<double>(result.spots[0].seen.pixels) / (perMetre * perMetre), 4 * kPi,
                0.01);
}

TEST(Seen, ViewsTellWhereAnObjectIsSeen) {
    const Scene scene = test::makeScene({{makeBox({1, 1, 1}), {0, 0, -10}}});
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}));
    // 60 degrees up and down and 16:9 make 91.5 degrees across: north and its two neighbours.
    EXPECT_EQ(result.spots[0].seen.objects.at(0).views, 0b10000011);
}

TEST(Seen, LayersCountWhatIsBehindAsWell) {
    const Scene scene = test::makeScene({{makeRoom({40, 40, 40}), {0, 0, 0}},
                                         {makePane(40, 40), {0, 0, -5}},
                                         {makePane(40, 40), {0, 0, -6}},
                                         {makePane(40, 40), {0, 0, -7}}});
    const SpotSeen seen = surveyed(scene, spotsAt({{0, 0, 0}})).spots[0].seen;
    EXPECT_EQ(seen.layersWorst, 4);
    EXPECT_NEAR(static_cast<double>(seen.workInView[0].layers), 4, 0.05) << "north";
    EXPECT_NEAR(static_cast<double>(seen.workInView[4].layers), 1, 1e-6) << "south";
    EXPECT_FLOAT_EQ(seen.work.layers, seen.plainLayersMean);
    EXPECT_EQ(seen.work.textures, 0);
    EXPECT_EQ(seen.work.lit, 1);
}

/// A room around a pane of glass that shows one texture and a wall behind it that is not lit.
TEST(Seen, PixelsTellWhatTheirMaterialsAsk) {
    Scene scene = test::makeScene({{makeRoom({40, 40, 40}), {0, 0, 0}},
                                   {makePane(40, 40), {0, 0, -5}},
                                   {makePane(40, 40), {0, 0, -6}}});
    const int glass = addMaterial(scene, AlphaMode::Blend, 100, 100);
    Material sign;
    sign.unlit = true;
    scene.materials.push_back(sign);
    scene.assets[1].mesh = finishMesh(makePane(40, 40, glass));
    scene.assets[2].mesh = finishMesh(makePane(40, 40, glass + 1));
    const SpotSeen seen = surveyed(scene, spotsAt({{0, 0, 0}})).spots[0].seen;
    const PixelWork& north = seen.workInView[0];
    EXPECT_NEAR(static_cast<double>(north.layers), 3, 0.05);
    EXPECT_NEAR(static_cast<double>(north.textures), 1, 0.02) << "of the glass alone";
    EXPECT_NEAR(static_cast<double>(north.blended), 1, 0.02);
    EXPECT_NEAR(static_cast<double>(north.lit), 2.0 / 3, 0.01) << "glass and room, not the sign";
    const PixelWork& south = seen.workInView[4];
    EXPECT_EQ(south.textures + south.blended, 0);
    EXPECT_EQ(south.lit, 1);
}

TEST(Seen, NearestPlaceTellsTheTexelsNeeded) {
    Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -10}}});
    const int material = addMaterial(scene, AlphaMode::Opaque, 255, 255);
    scene.assets[0].mesh = finishMesh(makePane(2, 2, material));
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}, {0, 0, -6}}));
    // Half a texture a metre; at 4 m a pixel is 4 / (450 / tan 30) m wide.
    const double metres = 4 * std::tan(kPi / 6) / 450;
    EXPECT_NEAR(static_cast<double>(result.seen.texCoordPerPixel[0]), 0.5 * metres, 0.01 * metres);
}

TEST(Seen, TexturesLargerThanAnyViewNeedsAreNamed) {
    // One texture over 2 m; at 4 m a pixel is 4 / (450 / tan 30) m wide, a 195th of it.
    Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -4}}});
    const int material = addMaterial(scene, AlphaMode::Opaque, 255, 255);
    scene.assets[0].mesh = finishMesh(makePane(2, 2, material));
    scene.images[0].width = 1024;
    scene.images[0].height = 1024;
    const double needed = 0.5 * 4 * std::tan(kPi / 6) / 450;
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}));
    const auto needs = findTextureNeeds(scene, result);
    ASSERT_EQ(needs.size(), 1U);
    EXPECT_NEAR(needs[0].texelsPerPixel, 1024 * needed, 0.03 * 1024 * needed);
    EXPECT_EQ(needs[0].edge, 512);
    EXPECT_DOUBLE_EQ(needs[0].bytes, TextureMemory(scene, surveyDisplay()).of(0) * 0.75);
    scene.images[0].width = scene.images[0].height = 512;
    EXPECT_TRUE(findTextureNeeds(scene, result).empty()) << "1.3 texels a pixel: its top is shown";
    scene.images[0].width = scene.images[0].height = 4096;
    elementOf(scene.materials, material).textures[0].texCoord = 1;
    EXPECT_EQ(findTextureNeeds(scene, surveyed(scene, spotsAt({{0, 0, 0}}))).size(), 0U)
        << "without coordinates of the second set nothing is known";
}

/// Texels a pixel of the only image, from the origin.
double texelsPerPixel(const Scene& scene) {
    const auto needs = findTextureNeeds(scene, surveyed(scene, spotsAt({{0, 0, 0}})));
    return needs.empty() ? 0 : needs.front().texelsPerPixel;
}

Scene paneWithImage(int edge) {
    Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -4}}});
    const int material = addMaterial(scene, AlphaMode::Opaque, 255, 255);
    scene.assets[0].mesh = finishMesh(makePane(2, 2, material));
    scene.images[0].width = scene.images[0].height = edge;
    return scene;
}

TEST(Seen, TextureTransformsCount) {
    Scene scene = paneWithImage(4096);
    const double once = texelsPerPixel(scene);
    scene.materials[0].textures[0].transform << 8, 0, 0, 0, 8, 0;  // repeats eight times
    EXPECT_NEAR(texelsPerPixel(scene), 8 * once, 0.01 * 8 * once);
    scene.materials[0].textures[0].transform << 0, 0.25F, 0, -0.25F, 0, 0;  // a part, turned
    EXPECT_NEAR(texelsPerPixel(scene), once / 4, 0.01 * once);
}

TEST(Seen, StretchedObjectsNeedWhatTheirLongestDirectionNeeds) {
    Scene scene = paneWithImage(4096);
    const double once = texelsPerPixel(scene);
    scene.nodes[0].local(0, 0) = 4;  // four times as wide, as high as before
    flatten(scene);
    EXPECT_NEAR(texelsPerPixel(scene), once / 4, 0.01 * once)
        << "the cube root of the volume would say 0.63";
}

TEST(Seen, TheSecondSetOfCoordinatesCounts) {
    Scene scene = paneWithImage(4096);
    const double once = texelsPerPixel(scene);
    Mesh mesh = *scene.assets[0].mesh;
    test::addStream(mesh.parts[0], "TEXCOORD_1",
                    makeStream(std::vector<Vec2f>{{0, 2}, {2, 2}, {2, 0}, {0, 0}}));
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    scene.materials[0].textures[0].texCoord = 1;
    EXPECT_NEAR(texelsPerPixel(scene), 2 * once, 0.01 * 2 * once);
}

/// A fine sheet behind a pane, and a survey that aims at what the rays miss.
Survey lookThrough(const Scene& scene) {
    SurveySettings settings = plainSurvey(64);
    settings.aimAtTriangles = true;
    return surveyed(scene, spotsAt({{0, 0, 0}}), settings);
}

/// 160,000 triangles of a pixel each in the plane z = -6, towards the eye.
Mesh fineSheet() {
    Mesh sheet = test::makeGrid(400, 200, 4);
    sheet.name = "sheet";
    Part& part = sheet.parts[0];
    std::vector<Vec3f> points = positionsOf(part);
    for (Vec3f& p : points) p = Vec3f(p.x(), -p.z(), 0);
    part.set("POSITION", makeStream(points));
    return sheet;
}

TEST(Seen, WhatStandsBehindGlassIsSeen) {
    Scene scene = test::makeScene({{makePane(8, 8), {0, 0, -3}}, {fineSheet(), {-2, 2, -6}}});
    Material glass;
    glass.alphaMode = AlphaMode::Blend;
    glass.baseColor.w() = 0.3F;
    scene.materials.push_back(glass);
    scene.assets[0].mesh = finishMesh(makePane(8, 8, 0));
    const NeverSeen unseen = findUnseen(scene, lookThrough(scene));
    EXPECT_EQ(unseen.triangles, 0U) << "the pane lets every ray through";
    scene.materials[0].alphaMode = AlphaMode::Opaque;
    EXPECT_EQ(findUnseen(scene, lookThrough(scene)).objects, std::vector<std::uint32_t>{1});
}

TEST(Seen, TwoSidedSheetsAreSeenFromBehind) {
    Scene scene = test::makeScene({{fineSheet(), {-2, 2, -6}}});
    Material cloth;
    cloth.doubleSided = true;
    scene.materials.push_back(cloth);
    Mesh sheet = fineSheet();
    sheet.parts[0].material = 0;
    for (std::size_t i = 0; i + 2 < sheet.parts[0].indices.size(); i += 3)
        std::swap(sheet.parts[0].indices[i], sheet.parts[0].indices[i + 1]);
    scene.assets[0].mesh = finishMesh(std::move(sheet));
    EXPECT_EQ(findUnseen(scene, lookThrough(scene)).triangles, 0U);
    scene.materials[0].doubleSided = false;
    EXPECT_EQ(findUnseen(scene, lookThrough(scene)).objects.size(), 1U) << "faces away";
}

TEST(Seen, WhatIsCulledHidesNothing) {
    Scene scene = test::makeScene({{makePane(8, 8), {0, 0, -3}}, {fineSheet(), {-2, 2, -6}}});
    scene.objects[0].culling.end = 1;
    EXPECT_EQ(findUnseen(scene, lookThrough(scene)).triangles, 0U);
}

TEST(Seen, LightsReachThePixelsWithinTheirRange) {
    Scene scene = test::makeScene({{makeRoom({6, 4, 6}), {0, 0, 0}}});
    Light light;
    light.range = 30;
    scene.lights.push_back(light);
    light.range = 0.5F;
    scene.lights.push_back(light);
    for (int i = 0; i < 2; ++i) {
        Node node;
        node.light = i;
        scene.nodes.push_back(node);
        scene.scenes[0]["nodes"].push_back(scene.nodes.size() - 1);
    }
    flatten(scene);
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}));
    EXPECT_EQ(result.seen.lightSpots, (std::vector<std::uint32_t>{1, 0}));
    EXPECT_NEAR(static_cast<double>(result.seen.lightPixels[0] / result.spots[0].seen.pixels), 1,
                0.05);
}

TEST(Seen, SmallObjectsAreAimedAt) {
    // 5 cm at 20 m: two pixels on the display, between the rays of a coarse cube.
    const Scene scene = test::makeScene({{makeBox({0.05F, 0.05F, 0.05F}), {0.31, 0.17, -20}}});
    EXPECT_EQ(seenFrom(surveyed(scene, spotsAt({{0, 0, 0}}), plainSurvey(16))).size(), 1U);
}

TEST(Seen, TrianglesBelowTheSamplingAreToldFromHiddenOnes) {
    // A wall with a small tile before it and one behind it, in one mesh.
    Mesh wall = makePane(6, 6);
    for (const float z : {0.05F, -0.05F}) {
        Part tile = makePane(0.02F, 0.02F).parts[0];
        std::vector<Vec3f> points = positionsOf(tile);
        for (Vec3f& point : points) point += Vec3f(0.513F, 0.217F, z);
        tile.attributes[0].stream = std::make_shared<const Stream>(makeStream(points));
        wall.parts.push_back(tile);
    }
    const Scene scene = test::makeScene({{wall, {0, 0, -10}}});
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}), plainSurvey(16));
    ASSERT_EQ(result.belowSampling.size(), 6U);
    EXPECT_GT(result.seen.trianglePixels[0], 0);
    EXPECT_TRUE(result.belowSampling[2] && result.belowSampling[3]) << "before the wall";
    EXPECT_FALSE(result.belowSampling[4] || result.belowSampling[5]) << "behind the wall";
}

// --- the whole survey ---------------------------------------------------------------------

Scene street() {
    std::vector<test::Placed> placed = {ground(60)};
    for (int i = 0; i < 12; ++i)
        placed.push_back({named(makeBox({1, 2, 1}), ("post " + std::to_string(i)).c_str()),
                          {4.0 * (i % 4) - 6, 1, 6.0 * (i / 4) - 9}});
    return test::makeScene(std::move(placed));
}

void expectSame(const Survey& a, const Survey& b) {
    ASSERT_EQ(a.spots.size(), b.spots.size());
    for (std::size_t i = 0; i < a.spots.size(); ++i) {
        EXPECT_EQ(a.spots[i].seen.pixels, b.spots[i].seen.pixels);
        EXPECT_EQ(a.spots[i].seen.work.layers, b.spots[i].seen.work.layers);
        EXPECT_EQ(a.spots[i].seen.objects.size(), b.spots[i].seen.objects.size());
        for (std::size_t v = 0; v < a.spots[i].tallies.size(); ++v)
            EXPECT_EQ(a.spots[i].tallies[v].counts, b.spots[i].tallies[v].counts);
    }
    EXPECT_EQ(a.seen.trianglePixels, b.seen.trianglePixels);
    EXPECT_EQ(a.belowSampling, b.belowSampling);
}

std::vector<SurveySpot> streetSpots() {
    return spotsAt(
        {{0, 1.7, 0}, {8, 1.7, 8}, {-8, 1.7, 8}, {8, 1.7, -12}, {-9, 1.7, -9}, {2, 1.7, 12}});
}

TEST(Survey, IsTheSameForAnyNumberOfThreads) {
    const Scene scene = street();
    const Survey many = surveyed(scene, streetSpots());
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    expectSame(many, surveyed(scene, streetSpots()));
}

TEST(Survey, WhatIfEqualsASurveyWithoutTheObject) {
    const Scene scene = street();
    const Target target = surveyDisplay();
    const Survey before = surveyed(scene, streetSpots());
    Without without;
    without.objects.assign(scene.objects.size(), false);
    without.objects[3] = without.objects[7] = true;
    const auto counted = recount(before, ViewMeter(scene, target), without);
    Scene smaller = scene;
    Json& roots = smaller.scenes[0]["nodes"];
    roots = Json::array();
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (i != 3 && i != 7) roots.push_back(i);
    flatten(smaller);
    ASSERT_EQ(smaller.objects.size(), scene.objects.size() - 2);
    const Survey fresh = surveyed(smaller, streetSpots());
    for (std::size_t s = 0; s < counted.size(); ++s)
        for (std::size_t v = 0; v < counted[s].size(); ++v)
            EXPECT_EQ(counted[s][v].counts, fresh.spots[s].tallies[v].counts);
}

TEST(Survey, WorstMedianAndOverAreThoseOfTheSpots) {
    // One post in view from each spot but the first, which sees two.
    const Scene scene = test::makeScene({{makeBox({1, 1, 1}), {0, 0, -10}},
                                         {makeBox({1, 1, 1}), {100, 0, -10}},
                                         {makeBox({1, 1, 1}), {3, 0, -10}}});
    Target target = surveyDisplay();
    target.farPlane = 30;
    target.limits = kNoLimits;
    at(target.limits, Measure::Objects) = 1;
    const Survey result =
        surveyed(scene, spotsAt({{100, 0, 0}, {0, 0, 0}, {400, 0, 0}}), plainSurvey(0), target);
    const auto worst = worstOf(result, Measure::Objects);
    ASSERT_TRUE(worst);
    EXPECT_EQ(worst->spot, 1U);
    EXPECT_EQ(worst->view, 0U) << "heading north";
    EXPECT_EQ(worst->load, 2);
    EXPECT_EQ(medianOf(result, Measure::Objects), 1);
    EXPECT_EQ(spotsOver(result), 1U);
    EXPECT_FALSE(worstOf(Survey{}, Measure::Objects));
}

TEST(Survey, FindsTheWorstBetweenTheHeadings) {
    // Two boxes 110 degrees apart: only half way between two of the four headings are both seen.
    const auto towards = [](double heading) { return Vec3d(10 * lookDirection(heading, 0)); };
    const Scene scene =
        test::makeScene({{makeBox({1, 1, 1}), towards(5)}, {makeBox({1, 1, 1}), towards(84)}});
    SurveySettings settings = plainSurvey(0);
    settings.headings = 4;
    settings.betweenHeadings = true;
    const Survey result = surveyed(scene, spotsAt({{0, 0, 0}}), settings);
    ASSERT_EQ(result.spots[0].views.size(), 5U);
    EXPECT_NEAR(result.spots[0].views[4].heading, 45, 12);
    EXPECT_EQ(at(result.spots[0].tallies[4].counts, Measure::Objects), 2);
}

std::size_t again(Survey& survey, const Scene& scene) {
    const RayScene rays(scene);
    return surveyAgain(survey, scene, &rays, noProgress());
}

TEST(SurveyAgain, LooksOnlyFromSpotsThatSawWhatIsGoneNow) {
    // A wall between two spots; what is culled stands on the side of the second.
    Scene scene = test::makeScene({{makeBox({40, 40, 1}), {0, 0, 0}},
                                   {makeBox({1, 1, 1}), {0, 0, 8}},
                                   {makeBox({9, 9, 1}), {0, 0, 12}}});
    const auto spots = spotsAt({{0, 0, -4}, {0, 0, 4}});
    Survey result = surveyed(scene, spots);
    ASSERT_EQ(again(result, scene), 0U) << "nothing has changed";
    scene.objects[1].culling.end = 1;
    EXPECT_EQ(again(result, scene), 1U);
    const Survey whole = surveyed(scene, spots);
    for (std::size_t s = 0; s < 2; ++s) {
        EXPECT_EQ(result.spots[s].sightings.levels, whole.spots[s].sightings.levels);
        ASSERT_EQ(result.spots[s].seen.objects.size(), whole.spots[s].seen.objects.size());
        EXPECT_EQ(result.spots[s].seen.pixels, whole.spots[s].seen.pixels);
    }
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        EXPECT_EQ(result.seen.objects[i].spots, whole.seen.objects[i].spots) << i;
        EXPECT_EQ(result.seen.objects[i].mostPixels, whole.seen.objects[i].mostPixels) << i;
    }
    EXPECT_EQ(result.seen.lightSpots, whole.seen.lightSpots);
    scene.objects[1].culling.end = std::numeric_limits<double>::infinity();
    EXPECT_EQ(again(result, scene), 2U) << "it may be seen from anywhere when it comes back";
    EXPECT_GT(result.seen.objects[1].mostPixels, 0);
}

TEST(SurveyAgain, FarLevelsMayBringMaterials) {
    Scene scene = test::makeScene({{makeBox({40, 40, 1}), {0, 0, 0}}});
    Survey result = surveyed(scene, spotsAt({{0, 0, -4}, {0, 0, 90}}));
    const std::size_t before = result.seen.texCoordPerPixel.size();
    Mesh far = *scene.assets[0].mesh;
    for (Part& part : far.parts) part.material = static_cast<int>(scene.materials.size());
    scene.materials.push_back(Material());
    scene.assets[0].ladder.levels = {{finishMesh(std::move(far)), 0.1, 50}};
    scene.objects[0].culling.end = 85;  // one spot looks again
    EXPECT_EQ(again(result, scene), 1U);
    EXPECT_EQ(result.seen.texCoordPerPixel.size(), before) << "it has no textures";
    EXPECT_EQ(result.spots[0].tallies[0].materials, 0) << "level 0 has none";
    scene.materials.pop_back();
    scene.assets[0].ladder = {};
    scene.objects[0].culling.end = 1e9;
    EXPECT_GT(again(result, scene), 0U);
    EXPECT_EQ(result.seen.texCoordPerPixel.size(), before) << "and take them again";
}

TEST(SurveyAgain, CountsWhatIsDrawnWithoutRays) {
    Scene scene = street();
    SurveySettings settings = plainSurvey();
    settings.faceSize = 0;
    Survey result = surveyed(scene, streetSpots(), settings);
    scene.objects[0].culling.end = 0.01;
    EXPECT_EQ(surveyAgain(result, scene, nullptr, noProgress()), 0U);
    const Survey whole = surveyed(scene, streetSpots(), settings);
    for (std::size_t s = 0; s < whole.spots.size(); ++s)
        for (std::size_t v = 0; v < 8; ++v)
            EXPECT_EQ(result.spots[s].tallies[v].counts, whole.spots[s].tallies[v].counts);
}

TEST(Recounted, ViewsCostWhatTheOtherSceneAsksAndNothingOfItWasSeen) {
    Scene scene = test::makeScene({ground(40), {makeBox({1, 1, 1}), {0, 1, -5}}});
    const Survey before = surveyed(scene, spotsAt({{0, 1.6, 0}}));
    ASSERT_EQ(seenFrom(before).size(), 2U);
    scene.objects.pop_back();
    const Survey after = recountedIn(scene, before, surveyDisplay(), noProgress()).value();
    const auto worst = worstOf(after, Measure::Triangles);
    ASSERT_TRUE(worst);
    EXPECT_EQ(worst->value, 32) << "the ground's";
    EXPECT_EQ(worstOf(before, Measure::Triangles)->value, 44) << "and the box's 12";
    EXPECT_FALSE(after.hasRays());
    EXPECT_TRUE(after.spots.front().seen.objects.empty());
    EXPECT_EQ(after.doneCount(), 1U);
    EXPECT_EQ(after.spots.front().seen.workInView.front().layers,
              before.spots.front().seen.workInView.front().layers);
}

TEST(Recounted, InAnotherTargetWhatWasSeenStays) {
    const Scene scene = test::makeScene({ground(40), {makeBox({1, 1, 1}), {0, 1, -5}}});
    const Survey before = surveyed(scene, spotsAt({{0, 1.6, 0}}));
    Target twoEyes = surveyDisplay();
    twoEyes.eyes = 2;
    const Survey after = recounted(before, scene, twoEyes, noProgress()).value();
    EXPECT_EQ(worstOf(after, Measure::Triangles)->value, 88);
    EXPECT_EQ(after.target.eyes, 2);
    EXPECT_TRUE(after.hasRays());
    EXPECT_EQ(seenFrom(after), seenFrom(before));
}

TEST(Survey, CancellingKeepsWhatIsDone) {
    test::RecordingProgress progress(3);
    const Survey result =
        takeSurvey(street(), surveyDisplay(), streetSpots(), plainSurvey(), progress);
    EXPECT_FALSE(result.complete);
    EXPECT_LT(result.doneCount(), streetSpots().size());
    for (const SpotResult& spot : result.spots) EXPECT_EQ(spot.tallies.size(), spot.done ? 8U : 0U);
}

TEST(Survey, AddsSpotsWhereTheLoadChanges) {
    const Scene scene = street();
    std::vector<SurveySpot> spots =
        spotsAt({{0, 1.7, 0}, {10, 1.7, 0}, {200, 1.7, 0}, {210, 1.7, 0}});
    spots.push_back({"between", {5, 1.7, 0}, 1, {}});
    spots.push_back({"far away", {205, 1.7, 0}, 1, {}});
    Target target = surveyDisplay();
    target.limits.fill(4);
    target.farPlane = 12;
    const Survey result = surveyed(scene, spots, plainSurvey(0), target);
    ASSERT_EQ(result.spots.size(), 5U);
    EXPECT_EQ(result.spots[4].name, "between");
}

// --- kept between sessions -----------------------------------------------------------------

TEST(SurveyFile, ComesBackAsItWas) {
    const test::TemporaryFolder folder;
    const Scene scene = street();
    const Target target = surveyDisplay();
    const Survey taken = surveyed(scene, streetSpots());
    const Hash key = surveyKey(scene, target, plainSurvey(), "street");
    ASSERT_TRUE(saveSurvey(taken, key, folder / "s.survey"));
    const auto back = loadSurvey(folder / "s.survey", key, scene, target);
    ASSERT_TRUE(back);
    expectSame(taken, *back);
    EXPECT_EQ(back->spots[2].sightings.objects, taken.spots[2].sightings.objects);
    EXPECT_EQ(back->spots[2].views.size(), taken.spots[2].views.size());
    EXPECT_EQ(back->complete, taken.complete);
}

TEST(SurveyFile, OfAnotherSceneTargetOrPlaceIsNotTaken) {
    const test::TemporaryFolder folder;
    Scene scene = street();
    Target target = surveyDisplay();
    const Hash key = surveyKey(scene, target, plainSurvey(), "street");
    ASSERT_TRUE(saveSurvey(surveyed(scene, streetSpots()), key, folder / "s.survey"));
    EXPECT_NE(surveyKey(scene, target, plainSurvey(), "lane"), key);
    EXPECT_NE(surveyKey(scene, target, plainSurvey(128), "street"), key);
    target.farPlane = 90;
    EXPECT_NE(surveyKey(scene, target, plainSurvey(), "street"), key);
    scene.objects[3].culling.end = 10;
    EXPECT_NE(surveyKey(scene, surveyDisplay(), plainSurvey(), "street"), key);
    EXPECT_FALSE(loadSurvey(folder / "s.survey", Hash{1, 2}, scene, target));
    EXPECT_FALSE(loadSurvey(folder / "none.survey", key, scene, target));
}

/// Arrays within arrays end a reader that goes down with them.
TEST(SurveyFile, FilesOfOthersAreNotRead) {
    const test::TemporaryFolder folder;
    const Scene scene = street();
    const Hash key = surveyKey(scene, surveyDisplay(), plainSurvey(), "street");
    test::writeText(folder / "s.survey", std::string(2'000'000, '\x81'));
    EXPECT_FALSE(loadSurvey(folder / "s.survey", key, scene, surveyDisplay()));
}

TEST(SurveyFile, DamagedFilesAreSurveyedAnew) {
    const test::TemporaryFolder folder;
    const Scene scene = street();
    const Hash key = surveyKey(scene, surveyDisplay(), plainSurvey(), "street");
    ASSERT_TRUE(saveSurvey(surveyed(scene, streetSpots()), key, folder / "s.survey"));
    const std::string whole = test::readText(folder / "s.survey");
    for (std::size_t cut = 1; cut < whole.size(); cut += whole.size() / 40) {
        test::writeText(folder / "cut.survey", whole.substr(0, cut));
        EXPECT_FALSE(loadSurvey(folder / "cut.survey", key, scene, surveyDisplay())) << cut;
    }
    const Scene smaller = test::makeScene({{makeBox({1, 1, 1}), {0, 0, 0}}});
    EXPECT_FALSE(loadSurvey(folder / "s.survey", key, smaller, surveyDisplay()))
        << "as many numbers as objects, or none";
}

TEST(Survey, EachMeasureHasItsWorstHeadingSearched) {
    // Objects 35 and 60 degrees from north: no quarter turn has both in view, 45 degrees has. A
    // light without range is over in all headings alike.
    const auto at = [](double degrees) {
        return Vec3d(10 * std::sin(toRadians(degrees)), 0, -10 * std::cos(toRadians(degrees)));
    };
    Scene scene = test::makeScene(
        {{makeBox({0.2F, 0.2F, 0.2F}), at(35)}, {makeBox({0.2F, 0.2F, 0.2F}), at(60)}});
    test::addLamp(scene, {{0, 3, 0}, 10, std::numeric_limits<float>::infinity(), false});
    Target target = surveyDisplay();
    flentro::at(target.limits, Measure::Lights) = 0.5;
    SurveySettings settings = plainSurvey(0);
    settings.headings = 4;
    settings.betweenHeadings = true;
    const Survey survey =
        takeSurvey(scene, nullptr, target, spotsAt({{0, 0, 0}}), settings, noProgress());
    EXPECT_EQ(worstOf(survey, Measure::Objects)->value, 2);
    EXPECT_EQ(worstOf(survey, Measure::Lights)->value, 1);
    EXPECT_EQ(survey.spots[0].views.size(), 5U) << "one view serves triangles, calls and objects";
}

TEST(Survey, SpotsAreRefinedForAnyMeasureNearItsLimit) {
    // Materials are over everywhere alike; only triangles differ between the spots.
    Scene scene = test::makeScene(
        {{named(test::makeSphere(30, 31), "far"), {0, 1, -30}}, {makeBox({1, 1, 1}), {0, 1, 30}}});
    scene.objects[0].culling.end = 26;
    Target target = surveyDisplay();
    target.limits.fill(1e6);
    flentro::at(target.limits, Measure::MaterialsPerObject) = 0.1;
    flentro::at(target.limits, Measure::Triangles) = 2000;
    std::vector<SurveySpot> spots = spotsAt({{0, 1, 0}, {0, 1, -8}});
    spots.push_back({"between", {0, 1, -4}, 1, {}});
    EXPECT_EQ(surveyed(scene, spots, plainSurvey(0), target).spots.size(), 3U);
    flentro::at(target.limits, Measure::Triangles) = 1e5;
    EXPECT_EQ(surveyed(scene, spots, plainSurvey(0), target).spots.size(), 2U)
        << "far below the limit";
}

}  // namespace
}  // namespace flentro
