// Rooms whose visibility can be reasoned on paper.

#include "survey/survey.h"
#include "survey/verdict.h"

#include <gtest/gtest.h>
#include <tbb/global_control.h>

#include <cmath>

#include "io/image.h"
#include "support/meshes.h"
#include "support/process.h"
#include "survey/survey_file.h"

namespace flentro {
namespace {

using test::makeBox;
using test::named;

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

/// Level ground around the origin.
test::Placed ground(double size) {
    return {test::makeGrid(4, 4, size), {-size / 2, 0, -size / 2}};
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

Target display() {
    Target target;
    target.verticalFov = 60;
    target.width = 1600;
    target.height = 900;
    target.farPlane = 500;
    target.instancing = false;
    target.limits.fill(100);
    return target;
}

SurveySettings plain(int faceSize = 64) {
    SurveySettings settings;
    settings.faceSize = faceSize;
    settings.betweenHeadings = false;
    return settings;
}

std::vector<SurveySpot> at(std::initializer_list<Vec3d> eyes) {
    std::vector<SurveySpot> spots;
    for (const Vec3d& eye : eyes) spots.push_back({std::to_string(spots.size() + 1), eye, 0, {}});
    return spots;
}

Survey survey(const Scene& scene, const std::vector<SurveySpot>& spots,
              const SurveySettings& settings = plain(), const Target& target = display()) {
    return takeSurvey(scene, target, spots, settings, noProgress());
}

std::vector<std::uint32_t> seenFrom(const Survey& survey, std::size_t spot = 0) {
    std::vector<std::uint32_t> seen;
    for (const SeenObject& object : survey.spots[spot].seen.objects) seen.push_back(object.object);
    return seen;
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
    const Survey result = survey(scene, at({{0, 0, 0}}));
    EXPECT_EQ(seenFrom(result), (std::vector<std::uint32_t>{0}));
    EXPECT_EQ(result.seen.objects[1].spots, 0U);
    EXPECT_EQ(at(result.spots[0].tallies[0].counts, Measure::Objects), 2) << "both are drawn";
}

TEST(Seen, FromInsideARoomNothingOutsideIsSeen) {
    const Scene scene = test::makeScene({{makeRoom({6, 4, 6}), {0, 0, 0}},
                                         {named(makeBox({1, 1, 1}), "chair"), {1, 0, -2}},
                                         {named(makeBox({1, 1, 1}), "outside"), {0, 0, -9}}});
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, BackFacesLetRaysThroughUnlessTwoSided) {
    Scene scene = test::makeScene({{makePane(4, 4), {0, 0, -5}}, {makeBox({1, 1, 1}), {0, 0, -9}}});
    scene.nodes[0].local(0, 0) = scene.nodes[0].local(2, 2) = -1;  // faces away
    flatten(scene);
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))), (std::vector<std::uint32_t>{1}));
    Material material;
    material.doubleSided = true;
    scene.materials.push_back(material);
    scene.assets[0].mesh = finishMesh(makePane(4, 4, 0));
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))), (std::vector<std::uint32_t>{0}));
}

TEST(Seen, MirroredCopiesKeepTheirFronts) {
    Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -5}}});
    scene.nodes[0].local(0, 0) = -1;
    flatten(scene);
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))).size(), 1U);
    EXPECT_TRUE(seenFrom(survey(scene, at({{0, 0, -10}}))).empty());
}

TEST(Seen, DoorwayShowsWhatStandsInLine) {
    // A wall at z = -5 with a gap from x = -1 to 1; one box behind the gap, one behind the wall.
    const Scene scene = test::makeScene({{named(makeBox({9, 6, 0.2F}), "left wall"), {-5.5, 0, -5}},
                                         {named(makeBox({9, 6, 0.2F}), "right wall"), {5.5, 0, -5}},
                                         {named(makeBox({1, 1, 1}), "in line"), {0, 0, -12}},
                                         {named(makeBox({1, 1, 1}), "aside"), {6, 0, -8}}});
    const Survey result = survey(scene, at({{0, 0, 0}, {-3, 0, 0}}), plain(128));
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
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, GlassIsSeenAndSeenThrough) {
    Scene scene = test::makeScene({{makePane(8, 8), {0, 0, -5}}, {makeBox({1, 1, 1}), {0, 0, -8}}});
    const int glass = addMaterial(scene, AlphaMode::Blend, 80, 80);
    scene.assets[0].mesh = finishMesh(makePane(8, 8, glass));
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))), (std::vector<std::uint32_t>{0, 1}));
}

TEST(Seen, CulledAndTooFarIsNotSeenAndHidesNothing) {
    Scene scene =
        test::makeScene({{makePane(8, 8), {0, 0, -5}}, {makeBox({4, 4, 4}), {0, 0, -60}}});
    scene.objects[0].culling.end = 4;
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))), (std::vector<std::uint32_t>{1}));
    Target target = display();
    target.farPlane = 50;
    EXPECT_TRUE(seenFrom(survey(scene, at({{0, 0, 0}}), plain(), target)).empty());
}

TEST(Seen, FlattenedObjectsAreBaked) {
    Scene scene = test::makeScene({{makeBox({2, 2, 2}), {0, 0, -5}}});
    scene.nodes[0].local(2, 2) = 0;  // no thickness: its transform cannot be inverted
    flatten(scene);
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}))).size(), 1U);
}

// --- numbers ------------------------------------------------------------------------------

TEST(Seen, PixelsAreThoseOfTheSolidAngle) {
    const Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -10}}});
    const Survey result = survey(scene, at({{0, 0, 0}}), plain(384));
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
    const Survey result = survey(scene, at({{0, 0, 0}}), plain(128));
    EXPECT_NEAR(static_cast<double>(result.spots[0].seen.pixels) / (perMetre * perMetre), 4 * kPi,
                0.01);
}

TEST(Seen, ViewsTellWhereAnObjectIsSeen) {
    const Scene scene = test::makeScene({{makeBox({1, 1, 1}), {0, 0, -10}}});
    const Survey result = survey(scene, at({{0, 0, 0}}));
    // 60 degrees up and down and 16:9 make 91.5 degrees across: north and its two neighbours.
    EXPECT_EQ(result.spots[0].seen.objects.at(0).views, 0b10000011);
}

TEST(Seen, LayersCountWhatIsBehindAsWell) {
    const Scene scene = test::makeScene({{makeRoom({40, 40, 40}), {0, 0, 0}},
                                         {makePane(40, 40), {0, 0, -5}},
                                         {makePane(40, 40), {0, 0, -6}},
                                         {makePane(40, 40), {0, 0, -7}}});
    const SpotSeen seen = survey(scene, at({{0, 0, 0}})).spots[0].seen;
    EXPECT_EQ(seen.layersWorst, 4);
    EXPECT_NEAR(static_cast<double>(seen.layersInView[0]), 4, 0.05) << "north";
    EXPECT_NEAR(static_cast<double>(seen.layersInView[4]), 1, 1e-6) << "south";
    EXPECT_FLOAT_EQ(seen.layersMean, seen.plainLayersMean);
}

TEST(Seen, NearestPlaceTellsTheTexelsNeeded) {
    Scene scene = test::makeScene({{makePane(2, 2), {0, 0, -10}}});
    const int material = addMaterial(scene, AlphaMode::Opaque, 255, 255);
    scene.assets[0].mesh = finishMesh(makePane(2, 2, material));
    const Survey result = survey(scene, at({{0, 0, 0}, {0, 0, -6}}));
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
    const Survey result = survey(scene, at({{0, 0, 0}}));
    const auto needs = judgeTextures(scene, result);
    ASSERT_EQ(needs.size(), 1U);
    EXPECT_NEAR(needs[0].texelsPerPixel, 1024 * needed, 0.03 * 1024 * needed);
    EXPECT_EQ(needs[0].edge, 512);
    EXPECT_DOUBLE_EQ(needs[0].bytes, textureBytes(scene.images[0], display()) * 0.75);
    scene.images[0].width = scene.images[0].height = 512;
    EXPECT_TRUE(judgeTextures(scene, result).empty()) << "1.3 texels a pixel: its top is shown";
    scene.images[0].width = scene.images[0].height = 4096;
    scene.materials[static_cast<std::size_t>(material)].textures[0].texCoord = 1;
    EXPECT_EQ(judgeTextures(scene, survey(scene, at({{0, 0, 0}}))).size(), 0U)
        << "without coordinates of the second set nothing is known";
}

/// Texels a pixel of the only image, from the origin.
double texelsPerPixel(const Scene& scene) {
    const auto needs = judgeTextures(scene, survey(scene, at({{0, 0, 0}})));
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
    SurveySettings settings = plain(64);
    settings.aimAtTriangles = true;
    return survey(scene, at({{0, 0, 0}}), settings);
}

/// 160,000 triangles of a pixel each in the plane z = -6, towards the eye.
Mesh fineSheet() {
    Mesh sheet = test::makeGrid(400, 200, 4);
    sheet.name = "sheet";
    Part& part = sheet.parts[0];
    std::vector<Vec3f> points = toVectors(*part.find("POSITION"));
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
    const NeverSeen unseen = judgeUnseen(scene, lookThrough(scene));
    EXPECT_EQ(unseen.triangles, 0U) << "the pane lets every ray through";
    scene.materials[0].alphaMode = AlphaMode::Opaque;
    EXPECT_EQ(judgeUnseen(scene, lookThrough(scene)).objects, std::vector<std::uint32_t>{1});
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
    EXPECT_EQ(judgeUnseen(scene, lookThrough(scene)).triangles, 0U);
    scene.materials[0].doubleSided = false;
    EXPECT_EQ(judgeUnseen(scene, lookThrough(scene)).objects.size(), 1U) << "faces away";
}

TEST(Seen, WhatIsCulledHidesNothing) {
    Scene scene = test::makeScene({{makePane(8, 8), {0, 0, -3}}, {fineSheet(), {-2, 2, -6}}});
    scene.objects[0].culling.end = 1;
    EXPECT_EQ(judgeUnseen(scene, lookThrough(scene)).triangles, 0U);
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
    const Survey result = survey(scene, at({{0, 0, 0}}));
    EXPECT_EQ(result.seen.lightSpots, (std::vector<std::uint32_t>{1, 0}));
    EXPECT_NEAR(static_cast<double>(result.seen.lightPixels[0] / result.spots[0].seen.pixels), 1,
                0.05);
}

TEST(Seen, SmallObjectsAreAimedAt) {
    // 5 cm at 20 m: two pixels on the display, between the rays of a coarse cube.
    const Scene scene = test::makeScene({{makeBox({0.05F, 0.05F, 0.05F}), {0.31, 0.17, -20}}});
    EXPECT_EQ(seenFrom(survey(scene, at({{0, 0, 0}}), plain(16))).size(), 1U);
}

TEST(Seen, TrianglesBelowTheSamplingAreToldFromHiddenOnes) {
    // A wall with a small tile before it and one behind it, in one mesh.
    Mesh wall = makePane(6, 6);
    for (const float z : {0.05F, -0.05F}) {
        Part tile = makePane(0.02F, 0.02F).parts[0];
        std::vector<Vec3f> points = toVectors(*tile.find("POSITION"));
        for (Vec3f& point : points) point += Vec3f(0.513F, 0.217F, z);
        tile.attributes[0].stream = std::make_shared<const Stream>(makeStream(points));
        wall.parts.push_back(tile);
    }
    const Scene scene = test::makeScene({{wall, {0, 0, -10}}});
    const Survey result = survey(scene, at({{0, 0, 0}}), plain(16));
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
        EXPECT_EQ(a.spots[i].seen.layersMean, b.spots[i].seen.layersMean);
        EXPECT_EQ(a.spots[i].seen.objects.size(), b.spots[i].seen.objects.size());
        for (std::size_t v = 0; v < a.spots[i].tallies.size(); ++v)
            EXPECT_EQ(a.spots[i].tallies[v].counts, b.spots[i].tallies[v].counts);
    }
    EXPECT_EQ(a.seen.trianglePixels, b.seen.trianglePixels);
    EXPECT_EQ(a.belowSampling, b.belowSampling);
}

std::vector<SurveySpot> streetSpots() {
    return at({{0, 1.7, 0}, {8, 1.7, 8}, {-8, 1.7, 8}, {8, 1.7, -12}, {-9, 1.7, -9}, {2, 1.7, 12}});
}

TEST(Survey, IsTheSameForAnyNumberOfThreads) {
    const Scene scene = street();
    const Survey many = survey(scene, streetSpots());
    const tbb::global_control one(tbb::global_control::max_allowed_parallelism, 1);
    expectSame(many, survey(scene, streetSpots()));
}

TEST(Survey, WhatIfEqualsASurveyWithoutTheObject) {
    const Scene scene = street();
    const Target target = display();
    const Survey before = survey(scene, streetSpots());
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
    const Survey fresh = survey(smaller, streetSpots());
    for (std::size_t s = 0; s < counted.size(); ++s)
        for (std::size_t v = 0; v < counted[s].size(); ++v)
            EXPECT_EQ(counted[s][v].counts, fresh.spots[s].tallies[v].counts);
}

TEST(Survey, WorstMedianAndOverAreThoseOfTheSpots) {
    // One post in view from each spot but the first, which sees two.
    const Scene scene = test::makeScene({{makeBox({1, 1, 1}), {0, 0, -10}},
                                         {makeBox({1, 1, 1}), {100, 0, -10}},
                                         {makeBox({1, 1, 1}), {3, 0, -10}}});
    Target target = display();
    target.farPlane = 30;
    target.limits = kNoLimits;
    at(target.limits, Measure::Objects) = 1;
    const Survey result =
        survey(scene, at({{100, 0, 0}, {0, 0, 0}, {400, 0, 0}}), plain(0), target);
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
    SurveySettings settings = plain(0);
    settings.headings = 4;
    settings.betweenHeadings = true;
    const Survey result = survey(scene, at({{0, 0, 0}}), settings);
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
    const auto spots = at({{0, 0, -4}, {0, 0, 4}});
    Survey result = survey(scene, spots);
    ASSERT_EQ(again(result, scene), 0U) << "nothing has changed";
    scene.objects[1].culling.end = 1;
    EXPECT_EQ(again(result, scene), 1U);
    const Survey whole = survey(scene, spots);
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
    Survey result = survey(scene, at({{0, 0, -4}, {0, 0, 90}}));
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
    SurveySettings settings = plain();
    settings.faceSize = 0;
    Survey result = survey(scene, streetSpots(), settings);
    scene.objects[0].culling.end = 0.01;
    EXPECT_EQ(surveyAgain(result, scene, nullptr, noProgress()), 0U);
    const Survey whole = survey(scene, streetSpots(), settings);
    for (std::size_t s = 0; s < whole.spots.size(); ++s)
        for (std::size_t v = 0; v < 8; ++v)
            EXPECT_EQ(result.spots[s].tallies[v].counts, whole.spots[s].tallies[v].counts);
}

TEST(Survey, CancellingKeepsWhatIsDone) {
    test::RecordingProgress progress(3);
    const Survey result = takeSurvey(street(), display(), streetSpots(), plain(), progress);
    EXPECT_FALSE(result.complete);
    EXPECT_LT(result.doneCount(), streetSpots().size());
    for (const SpotResult& spot : result.spots) EXPECT_EQ(spot.tallies.size(), spot.done ? 8U : 0U);
}

TEST(Survey, AddsSpotsWhereTheLoadChanges) {
    const Scene scene = street();
    std::vector<SurveySpot> spots = at({{0, 1.7, 0}, {10, 1.7, 0}, {200, 1.7, 0}, {210, 1.7, 0}});
    spots.push_back({"between", {5, 1.7, 0}, 1, {}});
    spots.push_back({"far away", {205, 1.7, 0}, 1, {}});
    Target target = display();
    target.limits.fill(4);
    target.farPlane = 12;
    const Survey result = survey(scene, spots, plain(0), target);
    ASSERT_EQ(result.spots.size(), 5U);
    EXPECT_EQ(result.spots[4].name, "between");
}

// --- kept between sessions -----------------------------------------------------------------

TEST(SurveyFile, ComesBackAsItWas) {
    const test::TemporaryFolder folder;
    const Scene scene = street();
    const Target target = display();
    const Survey taken = survey(scene, streetSpots());
    const Hash key = surveyKey(scene, target, plain(), "street");
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
    Target target = display();
    const Hash key = surveyKey(scene, target, plain(), "street");
    ASSERT_TRUE(saveSurvey(survey(scene, streetSpots()), key, folder / "s.survey"));
    EXPECT_NE(surveyKey(scene, target, plain(), "lane"), key);
    EXPECT_NE(surveyKey(scene, target, plain(128), "street"), key);
    target.farPlane = 90;
    EXPECT_NE(surveyKey(scene, target, plain(), "street"), key);
    scene.objects[3].culling.end = 10;
    EXPECT_NE(surveyKey(scene, display(), plain(), "street"), key);
    EXPECT_FALSE(loadSurvey(folder / "s.survey", Hash{1, 2}, scene, target));
    EXPECT_FALSE(loadSurvey(folder / "none.survey", key, scene, target));
}

TEST(SurveyFile, DamagedFilesAreSurveyedAnew) {
    const test::TemporaryFolder folder;
    const Scene scene = street();
    const Hash key = surveyKey(scene, display(), plain(), "street");
    ASSERT_TRUE(saveSurvey(survey(scene, streetSpots()), key, folder / "s.survey"));
    const std::string whole = test::readText(folder / "s.survey");
    for (std::size_t cut = 1; cut < whole.size(); cut += whole.size() / 40) {
        test::writeText(folder / "cut.survey", whole.substr(0, cut));
        EXPECT_FALSE(loadSurvey(folder / "cut.survey", key, scene, display())) << cut;
    }
    const Scene smaller = test::makeScene({{makeBox({1, 1, 1}), {0, 0, 0}}});
    EXPECT_FALSE(loadSurvey(folder / "s.survey", key, smaller, display()))
        << "as many numbers as objects, or none";
}

// --- where to stand -----------------------------------------------------------------------

std::vector<SurveySpot> planned(const Scene& scene, const SpotPlan& plan) {
    auto spots = planSpots(scene, RayScene(scene), plan, noProgress());
    EXPECT_TRUE(spots) << (spots ? "" : spots.error().what);
    return spots ? *spots : std::vector<SurveySpot>();
}

TEST(Spots, StandOnTheGroundAtEyeHeight) {
    SpotPlan plan;
    plan.spacing = 4;
    const auto spots = planned(test::makeScene({ground(20)}), plan);
    ASSERT_GE(spots.size(), 25U);
    for (const SurveySpot& spot : spots) EXPECT_NEAR(spot.eye.y(), 1.7, 1e-3);
    EXPECT_EQ(spots.front().level, 0);
    EXPECT_EQ(spots.back().level, 1);
}

TEST(Spots, APatchThatMissesTheGridIsStoodOn) {
    SpotPlan plan;
    plan.spacing = 8;
    plan.starts = {{1.5, 3.7, 1.5}};
    // A block of 1 m that no point of the coarse grid is on, beside ground that is far below.
    const Scene scene = test::makeScene({ground(40), {makeBox({1, 2, 1}), {1.5, 1, 1.5}}});
    const auto spots = planned(scene, plan);
    ASSERT_EQ(spots.size(), 1U);
    EXPECT_NEAR(spots[0].eye.y(), 3.7, 0.01);
    EXPECT_EQ(spots[0].level, 0);
}

TEST(Spots, ASingleThingIsLookedAtFromAllAround) {
    const Scene scene = test::makeScene({{makeBox({1, 2, 1}), {5, 1, 5}}});
    const auto spots = planned(scene, {});
    ASSERT_EQ(spots.size(), 72U);
    const Survey result = survey(scene, spots);
    for (const SpotResult& spot : result.spots) {
        ASSERT_EQ(spot.views.size(), 1U);
        EXPECT_EQ(at(spot.tallies[0].counts, Measure::Objects), 1) << spot.name;
        EXPECT_EQ(spot.seen.objects.size(), 1U) << spot.name;
    }
    const Scene floor = test::makeScene({ground(20), {makeBox({1, 2, 1}), {5, 1, 5}}});
    EXPECT_FALSE(isSingleThing(floor, planned(floor, {})));
}

TEST(Spots, ASliverOfTheSceneIsTold) {
    std::vector<test::Placed> placed = {ground(20)};
    for (int i = 0; i < 60; ++i) placed.push_back({makeBox({1, 1, 1}), {40.0 * i, 0.5, 30.0 * i}});
    const Scene scene = test::makeScene(placed);
    const auto spots = at({{0, 1.7, 0}, {8, 1.7, 0}, {0, 1.7, 8}, {8, 1.7, 8}});
    const auto warning = sliverWarning(scene, spots, 8);
    ASSERT_TRUE(warning);
    EXPECT_NE(warning->find("the 4 spots cover 0.0"), std::string::npos) << *warning;
    EXPECT_FALSE(sliverWarning(test::makeScene({ground(20)}), spots, 8));
}

TEST(Spots, StoreysAboveEachOtherKeepTheSpacing) {
    // Two floors with spots right above each other; the load differs along the lower one.
    std::vector<SurveySpot> spots;
    for (const double x : {0.0, 8.0, 16.0})
        for (const double y : {1.7, 4.7}) spots.push_back({"s", {x, y, 0}, 0, {}});
    spots.push_back({"between", {4, 1.7, 0}, 1, {}});
    std::vector<test::Placed> placed;
    for (int i = 0; i < 80; ++i)
        placed.push_back({makeBox({0.2F, 0.2F, 0.2F}), {8.0 + i * 0.1, 1.7, -2}});
    const Scene scene = test::makeScene(placed);
    Target target = display();
    target.farPlane = 4;
    const Survey result = survey(scene, spots, plain(0), target);
    const bool refined = std::any_of(result.spots.begin(), result.spots.end(),
                                     [](const SpotResult& s) { return s.name == "between"; });
    EXPECT_TRUE(refined);
}

TEST(Spots, ACubicSplineRunsThroughItsKeysNotItsTangents) {
    Scene scene = test::makeScene({ground(10)});
    Node camera;
    camera.name = "ride";
    scene.nodes.push_back(camera);
    const int node = static_cast<int>(scene.nodes.size()) - 1;
    Stream times;
    times.components = 1;
    times.data.resize(8);
    times.set(1, 0, 2);
    scene.streams = {std::make_shared<const Stream>(times),
                     std::make_shared<const Stream>(makeStream(std::vector<Vec3f>{
                         {99, 99, 99}, {0, 1, 0}, {1, 0, 0}, {1, 0, 0}, {2, 1, 0}, {99, 99, 99}}))};
    Animation animation;
    animation.samplers = {{0, 1, {{"interpolation", "CUBICSPLINE"}}}};
    animation.channels =
        Json::array({{{"sampler", 0}, {"target", {{"node", node}, {"path", "translation"}}}}});
    scene.animations = {animation};
    const auto path = animatedPath(scene, "ride");
    ASSERT_TRUE(path);
    ASSERT_EQ(path->size(), 9U);
    EXPECT_NEAR(path->front().eye.x(), 0, 1e-6);
    EXPECT_NEAR(path->back().eye.x(), 2, 1e-6);
    for (const Viewpoint& view : *path) {
        EXPECT_NEAR(view.eye.y(), 1, 1e-6);
        EXPECT_LE(view.eye.x(), 2 + 1e-6);
    }
    // With tangents of one metre a second the way is even: a quarter of the time, a quarter of it.
    EXPECT_NEAR((*path)[2].eye.x(), 0.5, 1e-6);
}

TEST(Spots, DoNotClimbATableOrEnterWhatIsTooLow) {
    SpotPlan plan;
    plan.spacing = 2;
    plan.starts = {{-8, 1.7, 0}};
    const auto spots =
        planned(test::makeScene({ground(20),
                                 {makeBox({6, 1, 6}), {-3, 0.5, -3}},
                                 {named(makeBox({6, 0.2F, 6}), "low roof"), {4, 1.5, 4}}}),
                plan);
    for (const SurveySpot& spot : spots) {
        EXPECT_NEAR(spot.eye.y(), 1.7, 1e-3) << "on the table at " << spot.eye.transpose();
        const bool below = std::fabs(spot.eye.x() - 4) < 2.9 && std::fabs(spot.eye.z() - 4) < 2.9;
        EXPECT_FALSE(below) << "under the roof at " << spot.eye.transpose();
    }
}

TEST(Spots, WallsAreNotPassedButDoorwaysAre) {
    std::vector<test::Placed> placed = {
        ground(24), {makeBox({10, 6, 0.4F}), {-7, 3, 0}}, {makeBox({10, 6, 0.4F}), {7, 3, 0}}};
    SpotPlan plan;
    plan.spacing = 3;
    plan.starts = {{0, 1.7, 8}};
    const auto beyond = [&](const Scene& scene) {
        const auto spots = planned(scene, plan);
        return std::any_of(spots.begin(), spots.end(),
                           [](const SurveySpot& spot) { return spot.eye.z() < -2; });
    };
    EXPECT_TRUE(beyond(test::makeScene(placed))) << "through the gap of 4 m";
    placed.push_back({makeBox({6, 6, 0.4F}), {0, 3, 0}});
    EXPECT_FALSE(beyond(test::makeScene(placed)));
}

TEST(Spots, AnAreaNeedsNoWayThere) {
    SpotPlan plan;
    plan.spacing = 2;
    plan.area = "island node";
    const Scene scene =
        test::makeScene({ground(10), {named(test::makeGrid(2, 2, 8), "island"), {40, 5, 0}}});
    const auto spots = planned(scene, plan);
    ASSERT_FALSE(spots.empty());
    for (const SurveySpot& spot : spots) EXPECT_NEAR(spot.eye.y(), 6.7, 1e-3);
    plan.area = "nowhere";
    const auto missing = planSpots(scene, RayScene(scene), plan, noProgress());
    ASSERT_FALSE(missing);
    EXPECT_EQ(missing.error().where, "nowhere");
}

TEST(Spots, ALineIsCutIntoEqualSteps) {
    const auto spots =
        spotsAlong({{{0, 1, 0}, 350, 0}, {{10, 1, 0}, 10, 0}, {{10, 1, 5}, 10, 0}}, 4);
    ASSERT_EQ(spots.size(), 5U);
    EXPECT_NEAR(spots[1].eye.x(), 4, 1e-9);
    EXPECT_NEAR(spots[1].views[0].heading, 358, 1e-9) << "the short way round";
    EXPECT_NEAR(spots[3].eye.z(), 2, 1e-9);
    EXPECT_NEAR(spots[4].eye.z(), 5, 1e-9);
    EXPECT_TRUE(spotsAlong({}, 1).empty());
}

TEST(Spots, AFreeCameraIsThePlayersEye) {
    const std::vector<SurveySpot> spots = {{"1", {1, 2, 3}, 0, {}}};
    const auto same = throughCamera(spots, {}, 8);
    ASSERT_EQ(same.size(), 1U);
    EXPECT_TRUE(same[0].views.empty());
    EXPECT_EQ(same[0].eye, spots[0].eye);
}

TEST(Spots, AFollowingCameraLooksAtThePlayer) {
    Camera camera;
    camera.distances = {10, 20};
    camera.pitches = {-60};
    const Vec3d player(5, 0, 5);
    const auto spots = throughCamera({{"gate", player, 1, {}}}, camera, 4);
    ASSERT_EQ(spots.size(), 8U);
    for (const SurveySpot& spot : spots) {
        const Vec3d ahead = lookDirection(spot.views[0].heading, spot.views[0].pitch);
        EXPECT_TRUE((player - spot.eye).normalized().isApprox(ahead, 1e-9));
        EXPECT_GT(spot.eye.y(), 8);
        EXPECT_EQ(spot.views[0].eye, spot.eye);
        EXPECT_EQ(spot.level, 1);
        EXPECT_EQ(spot.name.substr(0, 4), "gate");
    }
}

TEST(Spots, ALimitedHeadTurnsToBothEnds) {
    Camera camera;
    camera.firstHeading = 300;
    camera.lastHeading = 390;
    EXPECT_EQ(camera.headings(8), (std::vector<double>{300, 345, 30}));
    camera.lastHeading = 300;
    EXPECT_EQ(camera.headings(8), std::vector<double>{300}) << "a side camera";
    EXPECT_EQ(Camera{}.headings(4), (std::vector<double>{0, 90, 180, 270}));
    camera.lastHeading = 390;
    const auto spots = throughCamera({{"1", {0, 1, 0}, 0, {}}}, camera, 8);
    ASSERT_EQ(spots.size(), 1U) << "one eye, its views together";
    EXPECT_EQ(spots[0].views.size(), 3U);
}

TEST(Spots, LimitedViewsSeeOnlyWhatTheyLookAt) {
    Camera camera;
    camera.distances = {10};
    camera.pitches = {-89};
    SurveySettings settings = plain();
    settings.onlyInViews = true;
    // From straight above the lower side of the box and what is far aside are never seen.
    const Scene scene =
        test::makeScene({{makeBox({1, 1, 1}), {0, 0, 0}}, {makeBox({1, 1, 1}), {60, 0, 0}}});
    const Survey result =
        survey(scene, throughCamera({{"1", Vec3d::Zero(), 0, {}}}, camera, 1), settings);
    EXPECT_EQ(seenFrom(result), (std::vector<std::uint32_t>{0}));
    int seen = 0;
    for (std::size_t t = 0; t < 12; ++t)
        seen += result.seen.trianglePixels[t] > 0 || result.belowSampling[t];
    EXPECT_LE(seen, 4) << "the top, and a side for the degree that it is off";
}

}  // namespace
}  // namespace flentro
