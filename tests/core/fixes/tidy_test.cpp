#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <Eigen/Geometry>
#include <cmath>
#include <set>

#include "base/index.h"
#include "fixes/fix.h"
#include "fixes/tidy/tidy.h"
#include "support/meshes.h"
#include "support/pictures.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;

/// Without the steps that give flat surfaces fewer triangles.
TidySettings keepFlat() {
    TidySettings settings;
    settings.dissolve = false;
    return settings;
}

TEST(Tidy, WeldsAndDropsWhatShowsNothing) {
    const Scene scene = test::makeScene({{test::makeUntidy(), {0, 0, 0}}});
    ASSERT_EQ(describe(*scene.assets[0].mesh), "61v 20t");
    const Fixed fixed = applyTidy(scene, keepFlat(), noProgress()).value();
    EXPECT_EQ(describe(*fixed.scene.assets[0].mesh), "16v 18t");
    EXPECT_NEAR(test::areaOf(*fixed.scene.assets[0].mesh), 1, 1e-6);
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 of 1 asset tidied: 2 triangles"));
}

TEST(Tidy, DoesOnlyWhatItIsAskedFor) {
    const Scene scene = test::makeScene({{test::makeUntidy(), {0, 0, 0}}});
    TidySettings settings{false, true, false, false, false, false, false, false, 0, {}};
    EXPECT_EQ(describe(*applyTidy(scene, settings, noProgress())->scene.assets[0].mesh), "61v 19t");
    settings = {true, false, true, false, true, false, false, false, 0, {}};
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
    bent.parts[0].set("TEXCOORD_0", coords);
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
    // Nor where their coordinates are moved, which is a member of the texture and no name.
    Json& source = scene.materials[0].source;
    source["name"] = "stone (KHR_texture_transform)";
    EXPECT_EQ(applyTidy(scene, {}, noProgress())->scene.assets[0].mesh->triangles, 2U);
    source["pbrMetallicRoughness"]["baseColorTexture"]["extensions"]["KHR_texture_transform"] = {
        {"offset", {0.25, 0}}};
    EXPECT_EQ(applyTidy(scene, {}, noProgress())->scene.assets[0].mesh->triangles, 6U);
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
    EXPECT_EQ(fixed.record.reportAs<TidyReport>()->steps[0].triangles, 4U);
    settings.unseen = {{mesh->name, Hash{1, 2}, {0, 32}}};
    EXPECT_EQ(applyTidy(scene, settings, noProgress())->scene.assets[0].mesh, mesh)
        << "another mesh was looked at";
    settings.unseen = {{mesh->name, mesh->hash, {0, 32}}};
    EXPECT_EQ(applyTidy(scene, settings, noProgress())->scene.assets[0].mesh->triangles, 32U)
        << "all of it: left to culling";
}

TEST(Tidy, CountsWhatItSavesTimesTheCopies) {
    Scene scene = test::makeScene({{test::makeUntidy(), {0, 0, 0}}});
    scene.objects.push_back(scene.objects[0]);
    scene.objects.push_back(scene.objects[0]);
    const FixRecord record = applyTidy(scene, keepFlat(), noProgress())->record;
    ASSERT_EQ(record.assets.size(), 1U);
    EXPECT_EQ(record.assets[0].triangles, 2U);
    EXPECT_EQ(record.assets[0].placed, 6U);
    std::size_t placed = 0;
    for (const Saving& step : record.reportAs<TidyReport>()->steps) placed += step.placed;
    EXPECT_EQ(placed, 6U);
}

/// A square whose every face exists twice, the second time turned.
Mesh twoFaced(int material) {
    Mesh mesh = test::makeGrid(4, 4);
    Part& part = mesh.parts[0];
    const std::vector<std::uint32_t> front = part.indices;
    for (std::size_t i = 0; i < front.size(); i += 3)
        part.indices.insert(part.indices.end(), {front[i], front[i + 2], front[i + 1]});
    part.material = material;
    return mesh;
}

TEST(Tidy, TwinsBackToBackGoWhereBothSidesAreDrawnAndAreToldElse) {
    Scene scene = test::makeScene({{twoFaced(0), {0, 0, 0}}});
    scene.materials.resize(1);
    TidySettings apart = keepFlat();
    apart.joinTwins = false;
    const Fixed told = applyTidy(scene, apart, noProgress()).value();
    EXPECT_EQ(told.scene.assets[0].mesh->triangles, 64U) << "each shows on its side";
    EXPECT_THAT(told.record.notes, testing::Contains(HasSubstr("32 triangles lie")));
    scene.materials[0].doubleSided = true;
    scene.materials[0].source["doubleSided"] = true;
    const Fixed dropped = applyTidy(scene, keepFlat(), noProgress()).value();
    EXPECT_EQ(dropped.scene.assets[0].mesh->triangles, 32U);
    EXPECT_NEAR(test::areaOf(*dropped.scene.assets[0].mesh), 1, 1e-6);
}

TEST(Tidy, FlatSurfacesWithASecondSetOfCoordinatesAreDissolvedToo) {
    Mesh lit = test::makeGrid(8, 8);
    const Stream first = *lit.parts[0].find("TEXCOORD_0");
    std::vector<Vec2f> half;
    for (std::size_t v = 0; v < first.count(); ++v)
        half.emplace_back(first.value(v, 0) / 2, first.value(v, 1) / 2);
    lit.parts[0].set("TEXCOORD_1", makeStream(half));
    Mesh uneven = lit;
    half[40] += Vec2f(0.1F, 0);  // in the middle: the light map is no plain field there
    uneven.parts[0].set("TEXCOORD_1", makeStream(half));
    const Scene scene = test::makeScene(
        {{test::named(lit, "lit"), {0, 0, 0}}, {test::named(uneven, "uneven"), {2, 0, 0}}});
    const Fixed fixed = applyTidy(scene, {}, noProgress()).value();
    EXPECT_EQ(describe(*fixed.scene.assets[0].mesh), "4v 2t");
    EXPECT_GT(fixed.scene.assets[1].mesh->triangles, 2U);
    const Stream& kept = *fixed.scene.assets[0].mesh->parts[0].find("TEXCOORD_1");
    for (std::size_t v = 0; v < kept.count(); ++v)
        EXPECT_TRUE(kept.value(v, 0) == 0 || kept.value(v, 0) == 0.5F);
}

TEST(Tidy, WhatAMorphTargetBendsIsNotFlat) {
    Mesh mesh = test::makeGrid(8, 8);
    std::vector<Vec3f> moved(mesh.parts[0].vertexCount(), Vec3f::Zero());
    mesh.parts[0].targets = {{{"POSITION", std::make_shared<const Stream>(makeStream(moved))}}};
    Mesh bump = mesh;
    moved[40] = Vec3f(0, 1, 0);
    bump.parts[0].targets = {{{"POSITION", std::make_shared<const Stream>(makeStream(moved))}}};
    const Scene scene = test::makeScene(
        {{test::named(mesh, "still"), {0, 0, 0}}, {test::named(bump, "bump"), {2, 0, 0}}});
    const Fixed fixed = applyTidy(scene, {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 2U) << "a target that moves nothing";
    const Part& kept = fixed.scene.assets[1].mesh->parts[0];
    float highest = 0;
    for (const Vec3f& by : toVectors(*kept.targets.at(0).at(0).stream))
        highest = std::max(highest, by.y());
    EXPECT_EQ(highest, 1) << "the bump is still there";
    EXPECT_GT(kept.triangleCount(), 2U);
}

TEST(Tidy, StopsWithinOneMesh) {
    const Scene scene = test::makeScene(
        {{test::makeGrid(120, 120, 10, [](double x, double z) { return std::sin(x * z); }), {}}});
    test::RecordingProgress whole;
    ASSERT_TRUE(applyTidy(scene, {}, whole));
    EXPECT_GT(whole.asked(), 100) << "28,800 triangles are no small step";
    test::RecordingProgress stop(whole.asked() / 2);
    const auto stopped = applyTidy(scene, {}, stop);
    ASSERT_FALSE(stopped);
    EXPECT_EQ(stopped.error().code, ErrorCode::Cancelled);
    EXPECT_LT(stop.asked(), whole.asked() * 3 / 4) << "it went on";
}

TEST(Tidy, NeverEmptiesAMesh) {
    Mesh mesh;
    mesh.parts.push_back(test::makePart({{0, 0, 0}, {1, 0, 0}, {2, 0, 0}}, {0, 1, 2}));
    const Scene scene = test::makeScene({{mesh, {0, 0, 0}}});
    EXPECT_EQ(applyTidy(scene, {}, noProgress())->scene.assets[0].mesh->parts.size(), 1U);
}

/// A square of 2 m from x = 0 towards `side`, of three triangles that meet at a vertex at 0.4 on
/// its edge at x = 0; its far edge is `height` metres up.
Mesh sheetWithVertexOnEdge(float side, float height) {
    Mesh mesh;
    const std::vector<std::uint32_t> indices =
        side > 0 ? std::vector<std::uint32_t>{0, 1, 4, 1, 3, 4, 1, 2, 3}
                 : std::vector<std::uint32_t>{0, 4, 1, 1, 4, 3, 1, 3, 2};
    mesh.parts.push_back(test::makePart(
        {{0, 0, -1}, {0, 0, 0.4F}, {0, 0, 1}, {2 * side, height, 1}, {2 * side, height, -1}},
        indices));
    return mesh;
}

TEST(Tidy, AVertexThatANeighbourHasStays) {
    // Two sheets meet along an edge with a vertex at 0.4.
    const Mesh flat = sheetWithVertexOnEdge(-1, 0);
    const Scene alone = test::makeScene({{test::named(flat, "flat"), {0, 0, 0}}});
    EXPECT_EQ(applyTidy(alone, {}, noProgress())->scene.assets[0].mesh->triangles, 2U)
        << "nothing meets it";
    const Scene both =
        test::makeScene({{test::named(flat, "flat"), {0, 0, 0}},
                         {test::named(sheetWithVertexOnEdge(1, 0.5F), "ramp"), {0, 0, 0}}});
    const Fixed fixed = applyTidy(both, {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 3U) << "a gap would open beside 0.4";
}

/// A grid and the same grid turned over, in one part of one material.
Scene backToBack(bool sameColours) {
    Mesh mesh = test::makeGrid(4, 4, 2, [](double x, double z) { return x * z; });
    Part& part = mesh.parts[0];
    std::vector<Vec3f> points = positionsOf(part);
    const auto count = static_cast<std::uint32_t>(points.size());
    points.insert(points.end(), points.begin(), points.end());
    std::vector<std::uint32_t> indices = part.indices;
    for (std::size_t i = 0; i + 2 < part.indices.size(); i += 3)
        indices.insert(indices.end(), {count + part.indices[i], count + part.indices[i + 2],
                                       count + part.indices[i + 1]});
    Part both = test::makePart(points, indices);
    std::vector<Vec2f> coords(points.size(), {0.25F, 0.25F});
    for (std::size_t v = count; v < coords.size() && !sameColours; ++v) coords[v] = {0.75F, 0.25F};
    test::addStream(both, "TEXCOORD_0", makeStream(coords));
    both.material = 0;
    mesh.parts = {both};
    Scene scene = test::makeScene({{test::named(std::move(mesh), "leaf"), {0, 0, 0}}});
    Material material;
    material.name = "leaf";
    material.source = {{"name", "leaf"}};
    scene.materials.push_back(material);
    return scene;
}

TEST(Tidy, FacesBackToBackBecomeTwoSided) {
    TidySettings settings = keepFlat();
    settings.textures = false;  // materials that nothing shows stay
    const Fixed fixed = applyTidy(backToBack(true), settings, noProgress()).value();
    const Mesh& mesh = *fixed.scene.assets[0].mesh;
    EXPECT_EQ(mesh.triangles, 32U);
    ASSERT_EQ(mesh.parts.size(), 1U);
    ASSERT_EQ(fixed.scene.materials.size(), 2U);
    const Material& shown = elementOf(fixed.scene.materials, mesh.parts[0].material);
    EXPECT_TRUE(shown.doubleSided);
    EXPECT_EQ(shown.source["doubleSided"], true);
    EXPECT_FALSE(fixed.scene.materials[0].doubleSided) << "others may show it";
    TidySettings apart = keepFlat();
    apart.joinTwins = false;
    EXPECT_EQ(applyTidy(backToBack(true), apart, noProgress())->scene.assets[0].mesh->triangles,
              64U);
}

TEST(Tidy, FacesBackToBackThatLookDifferentStay) {
    const Fixed fixed = applyTidy(backToBack(false), keepFlat(), noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 64U);
    Scene glass = backToBack(true);
    glass.materials[0].alphaMode = AlphaMode::Blend;
    EXPECT_EQ(applyTidy(glass, keepFlat(), noProgress())->scene.assets[0].mesh->triangles, 64U)
        << "both sides of glass add up";
}

/// A scene of one box with that image on an opaque material.
Scene boxWithImage(const test::PixelOf& pixel) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}}});
    scene.images.push_back(test::makePicture(64, 64, pixel, 4));
    scene.images[0].name = "leaves";
    Texture texture;
    texture.image = 0;
    scene.textures.push_back(texture);
    Material material;
    material.source = {{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}}};
    material.textures.push_back({"baseColorTexture", 0});
    scene.materials.push_back(material);
    Mesh mesh = *scene.assets[0].mesh;
    for (Part& part : mesh.parts) part.material = 0;
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    return scene;
}

TEST(Tidy, AnAlphaThatLooksLikeACutOutStaysAndIsReported) {
    const Scene scene = boxWithImage([](int x, int y) {
        return std::array<int, 4>{(7 * x) % 256, (5 * y) % 256, 9, (x / 8 + y / 8) % 2 ? 255 : 0};
    });
    const Fixed fixed = applyTidy(scene, {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.images[0].channels, 4);
    ASSERT_FALSE(fixed.record.notes.empty());
    EXPECT_THAT(fixed.record.notes.back(), HasSubstr("'leaves' keeps its alpha"));
}

TEST(Tidy, AnAlphaThatNoMaterialReadsIsDropped) {
    const Scene scene = boxWithImage([](int x, int y) {
        return std::array<int, 4>{(7 * x) % 256, (5 * y) % 256, 9, 100 + (x * y) % 50};
    });
    const Fixed fixed = applyTidy(scene, {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.images[0].channels, 3);
    EXPECT_LE(fixed.scene.images[0].data->size(), scene.images[0].data->size());
}

}  // namespace
}  // namespace flentro
