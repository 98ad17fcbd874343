#include "fixes/far_levels.h"
#include "base/index.h"
#include "fixes/ladder/ladder.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "fixes/cards.h"
#include "fixes/page_packer.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "picture/difference.h"
#include "support/display.h"
#include "support/ladders.h"
#include "support/meshes.h"

namespace flentro {
namespace {

using test::display;

using testing::HasSubstr;

/// A picture of one colour as a texture of the scene.
int addTexture(Scene& scene, std::array<std::uint8_t, 4> color) {
    std::vector<std::uint8_t> pixels;
    for (int i = 0; i < 16; ++i) pixels.insert(pixels.end(), color.begin(), color.end());
    Image image;
    image.width = image.height = 4;
    image.data = std::make_shared<const std::vector<std::byte>>(encodePng(pixels.data(), 4, 4, 4));
    image.hash = hashBytes(*image.data);
    scene.images.push_back(image);
    Texture texture;
    texture.image = static_cast<int>(scene.images.size()) - 1;
    scene.textures.push_back(texture);
    return static_cast<int>(scene.textures.size()) - 1;
}

int addMaterial(Scene& scene, const Json& source) {
    scene.materials.push_back(parseMaterial(source));
    return static_cast<int>(scene.materials.size()) - 1;
}

// --- cheaper materials --------------------------------------------------------------------

TEST(CheapMaterial, LosesMapsThatDoNotShowFromAfar) {
    Scene scene;
    const int maps = addTexture(scene, {0, 128, 255, 255});
    const Material rich = parseMaterial({{"name", "brass"},
                                         {"normalTexture", {{"index", maps}}},
                                         {"occlusionTexture", {{"index", maps}}},
                                         {"emissiveTexture", {{"index", maps}}},
                                         {"pbrMetallicRoughness",
                                          {{"baseColorTexture", {{"index", maps}}},
                                           {"metallicRoughnessTexture", {{"index", maps}}},
                                           {"roughnessFactor", 0.5}}}});
    const Material cheap = cheapMaterial(TextureCache(scene, 64), rich, false);
    EXPECT_EQ(cheap.texture("normalTexture"), -1);
    EXPECT_EQ(cheap.texture("occlusionTexture"), -1);
    EXPECT_EQ(cheap.texture("metallicRoughnessTexture"), -1);
    EXPECT_EQ(cheap.texture("baseColorTexture"), maps);
    EXPECT_EQ(cheap.texture("emissiveTexture"), maps) << "lit windows stay lit";
    EXPECT_NEAR(cheap.roughness, 0.5 * 128 / 255, 1e-3);
    EXPECT_NEAR(cheap.metallic, 1, 1e-3);
    EXPECT_EQ(cheap.name, "brass (far)");
}

TEST(CheapMaterial, PlainOnesStayAsTheyAre) {
    const Material plain = parseMaterial({{"name", "plaster"}});
    EXPECT_EQ(cheapMaterial(TextureCache({}, 64), plain, true).source, plain.source);
}

TEST(CheapMaterial, BlendingBecomesOpaqueOnlyWhereItCovers) {
    Scene scene;
    const int half = addTexture(scene, {255, 255, 255, 100});
    const auto modeOf = [&](float alpha, int texture) {
        Json source = {{"alphaMode", "BLEND"},
                       {"pbrMetallicRoughness", {{"baseColorFactor", {1, 1, 1, alpha}}}}};
        if (texture >= 0) source["pbrMetallicRoughness"]["baseColorTexture"] = {{"index", texture}};
        return cheapMaterial(TextureCache(scene, 64), parseMaterial(source), false).alphaMode;
    };
    EXPECT_EQ(modeOf(0.8F, -1), AlphaMode::Opaque);
    EXPECT_EQ(modeOf(0.3F, -1), AlphaMode::Blend) << "a clear pane";
    EXPECT_EQ(modeOf(1, half), AlphaMode::Mask) << "a picture with holes";
}

TEST(CheapMaterial, SecondSidesGoOnlyFromClosedMeshes) {
    const Material sheet = parseMaterial({{"doubleSided", true}});
    EXPECT_FALSE(cheapMaterial(TextureCache({}, 64), sheet, true).doubleSided);
    EXPECT_TRUE(cheapMaterial(TextureCache({}, 64), sheet, false).doubleSided);
}

TEST(Closed, BoxesAndSpheresAreGridsAndStripsAreNot) {
    EXPECT_TRUE(isClosed(test::makeBox({1, 1, 1})));
    EXPECT_TRUE(isClosed(test::makeSphere(12, 8)));
    EXPECT_FALSE(isClosed(test::makeGrid(3, 3)));
    EXPECT_FALSE(isClosed(test::makeMoebius(12)));
    EXPECT_FALSE(isClosed(Mesh()));
}

// --- one part -----------------------------------------------------------------------------

/// A red box on a green one; a pane of glass beside them.
Mesh makeParts(Scene& scene) {
    const auto color = [&](float r, float g, const char* mode) {
        return addMaterial(scene, {{"alphaMode", mode},
                                   {"pbrMetallicRoughness", {{"baseColorFactor", {r, g, 0, 1}}}}});
    };
    Mesh mesh = test::makeBox({1, 1, 1});
    mesh.parts[0].material = color(1, 0, "OPAQUE");
    for (const int material : {color(0, 1, "OPAQUE"), color(0, 0, "BLEND")}) {
        mesh.parts.push_back(mesh.parts[0]);
        mesh.parts.back().material = material;
    }
    return mesh;
}

TEST(OnePart, KeepsTheColoursInTheVertices) {
    Scene scene;
    const MeshPtr three = finishMesh(makeParts(scene));
    const MeshPtr fewer = onePart(scene, TextureCache(scene, 64), three);
    ASSERT_EQ(fewer->parts.size(), 2U) << "the glass stays";
    EXPECT_EQ(fewer->triangles, three->triangles);
    const Part& merged = fewer->parts[0];
    const Stream& colors = *merged.find("COLOR_0");
    EXPECT_EQ(colors.value(0, 0), 1);
    EXPECT_EQ(colors.value(0, 1), 0);
    EXPECT_EQ(colors.value(colors.count() - 1, 0), 0);
    EXPECT_EQ(colors.value(colors.count() - 1, 1), 1);
    EXPECT_TRUE(elementOf(scene.materials, merged.material).textures.empty());
}

TEST(OnePart, SharesItsMaterialAndLeavesSinglePartsAlone) {
    Scene scene;
    const Mesh parts = makeParts(scene);
    const std::size_t before = scene.materials.size();
    const MeshPtr single = finishMesh(test::makeBox({1, 1, 1}));
    EXPECT_EQ(onePart(scene, TextureCache(scene, 64), single), single);
    (void)onePart(scene, TextureCache(scene, 64), finishMesh(Mesh(parts)));
    (void)onePart(scene, TextureCache(scene, 64), finishMesh(Mesh(parts)));
    EXPECT_EQ(scene.materials.size(), before + 1);
}

TEST(OnePart, LooksTheSameUnderFlatTextures) {
    Scene scene;
    const int brick = addTexture(scene, {160, 60, 40, 255});
    const int slate = addTexture(scene, {50, 60, 80, 255});
    Mesh house = test::makeSphere(16, 12);
    house.parts.push_back(test::makeSphere(16, 12, 1.2).parts[0]);
    int texture = brick;
    for (Part& part : house.parts) {
        part.material = addMaterial(
            scene, {{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", texture}}}}}});
        texture = slate;
    }
    const MeshPtr before = finishMesh(std::move(house));
    const MeshPtr after = onePart(scene, TextureCache(scene, 64), before);
    ASSERT_EQ(after->parts.size(), 1U);
    const auto difference = differenceAt(MeshPainter(scene, before), MeshPainter(scene, after),
                                         before->bounds, 20, 900);
    EXPECT_EQ(difference.silhouette, 0);
    EXPECT_LT(difference.shading, 0.01);
}

// --- pages --------------------------------------------------------------------------------

bool overlap(const PagePlace& a, const PageItem& sa, const PagePlace& b, const PageItem& sb) {
    return a.page == b.page && a.x < b.x + sb.width && b.x < a.x + sa.width &&
           a.y < b.y + sb.height && b.y < a.y + sa.height;
}

TEST(Pages, ItemsLieWithinTheirPageAndApart) {
    std::vector<PageItem> items;
    long area = 0;
    for (int i = 0; i < 200; ++i) {
        items.push_back({5 + i * 37 % 60, 5 + i * 53 % 90});
        area += static_cast<long>(items.back().width) * items.back().height;
    }
    const Packed packed = packPages(items, 512);
    long pages = 0;
    for (const PageItem& page : packed.pages) {
        EXPECT_EQ(page.width & (page.width - 1), 0);
        EXPECT_EQ(page.height & (page.height - 1), 0);
        EXPECT_LE(std::max(page.width, page.height), 512);
        pages += static_cast<long>(page.width) * page.height;
    }
    for (std::size_t i = 0; i < items.size(); ++i) {
        const PagePlace& at = packed.places[i];
        ASSERT_GE(at.page, 0);
        const PageItem& page = elementOf(packed.pages, at.page);
        EXPECT_GE(std::min(at.x, at.y), 0);
        EXPECT_LE(at.x + items[i].width, page.width);
        EXPECT_LE(at.y + items[i].height, page.height);
        for (std::size_t k = 0; k < i; ++k)
            EXPECT_FALSE(overlap(at, items[i], packed.places[k], items[k])) << i << " on " << k;
    }
    EXPECT_LT(pages, 2 * area) << "at least half of each page is used";
}

TEST(Pages, FourQuartersFillOnePage) {
    const Packed packed = packPages({{128, 128}, {128, 128}, {128, 128}, {128, 128}}, 256);
    ASSERT_EQ(packed.pages.size(), 1U);
    EXPECT_EQ(packed.pages[0].width, 256);
    EXPECT_EQ(packed.pages[0].height, 256);
}

TEST(Pages, WhatIsLargerThanAPageHasNoPlace) {
    const Packed packed = packPages({{300, 10}, {10, 10}}, 256);
    EXPECT_EQ(packed.places[0].page, -1);
    EXPECT_EQ(packed.places[1].page, 0);
    EXPECT_TRUE(packPages({}, 256).pages.empty());
}

// --- cards --------------------------------------------------------------------------------

TEST(Pages, AreNoLongerThanTheTargetsLargestTexture) {
    Target target = test::display();
    at(target.limits, Measure::TextureEdge) = 1024;
    EXPECT_EQ(pageEdge(2048, target), 1024);
    EXPECT_EQ(pageEdge(512, target), 512) << "as asked";
    at(target.limits, Measure::TextureEdge) = 1500;
    EXPECT_EQ(pageEdge(4096, target), 1024) << "a power of two";
    at(target.limits, Measure::TextureEdge) = kNoLimit;
    EXPECT_EQ(pageEdge(4096, target), 4096);
}

TEST(Cards, AreAsLargeAsTheirAsset) {
    const Part cards = makeCards(Box(Vec3d(-1, 0, -2), Vec3d(3, 5, 4)));
    Mesh mesh;
    mesh.parts.push_back(cards);
    EXPECT_NEAR(test::areaOf(mesh), 4 * 5 + 6 * 5, 1e-4);
    EXPECT_EQ(cards.triangleCount(), 4U);
}

LadderSettings withCards() {
    LadderSettings settings = test::ladderSettings();
    settings.cardPixels = 48;
    return settings;
}

TEST(Cards, EndTheLadderOfWhatIsRound) {
    Scene scene = test::makeScene({{test::makeSphere(48, 32), {0, 0, 0}}});
    const int red = addTexture(scene, {200, 30, 30, 255});
    Mesh mesh = *scene.assets[0].mesh;
    mesh.parts[0].material =
        addMaterial(scene, {{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", red}}}}}});
    scene.assets[0].mesh = finishMesh(std::move(mesh));
    const Target target = display();
    const Fixed fixed = applyLadder(scene, withCards(), target, noProgress()).value();
    const auto& levels = fixed.scene.assets[0].ladder.levels;
    ASSERT_GE(levels.size(), 2U);
    const Ladder::Level& last = levels.back();
    EXPECT_EQ(describe(*last.mesh), "8v 4t");
    EXPECT_GE(last.switchDistance, 2 * pixelsPerMetreAtOne(target) / 48);
    EXPECT_GT(last.switchDistance, levels[levels.size() - 2].switchDistance);
    ASSERT_EQ(fixed.scene.images.size(), scene.images.size() + 1) << "one page";
    const Material& material = elementOf(fixed.scene.materials, last.mesh->parts[0].material);
    EXPECT_EQ(material.alphaMode, AlphaMode::Mask);
    EXPECT_TRUE(material.doubleSided);
    const MeshPainter cards(fixed.scene, last.mesh);
    const MeshPainter original(scene, scene.assets[0].mesh);
    const auto difference = differenceAt(original, cards, scene.assets[0].mesh->bounds,
                                         last.switchDistance, pixelsPerMetreAtOne(target));
    EXPECT_LT(difference.silhouette, 0.5);
    // The picture carries the colour of the asset, not of its background.
    const Aim front = aimAt(scene.assets[0].mesh->bounds, Vec3d::UnitZ(), 40, 900);
    const Picture picture = cards.paint(front, MeshPainter::Channel::BaseColor);
    const Vec4f middle = picture.at(picture.width / 2 - 2, picture.height / 2);
    EXPECT_NEAR(middle.x() / middle.w(), 200.0 / 255, 0.05);
    EXPECT_THAT(fixed.record.notes, testing::Contains(HasSubstr("1 asset ends in crossed cards")));
}

TEST(Cards, AreNotMadeWhereTheyWouldTakeOverBehindTheFarPlane) {
    const Scene scene = test::makeScene({{test::makeSphere(48, 32, 40), {0, 0, 0}}});
    LadderSettings settings = withCards();
    const std::size_t plain = [&] {
        LadderSettings without = settings;
        without.cardPixels = 0;
        return applyLadder(scene, without, display(), noProgress())
            ->scene.assets[0]
            .ladder.levels.size();
    }();
    const Fixed fixed = applyLadder(scene, settings, display(), noProgress()).value();
    EXPECT_EQ(fixed.scene.assets[0].ladder.levels.size(), plain);
    EXPECT_TRUE(fixed.scene.images.empty());
}

// --- in the ladder ------------------------------------------------------------------------

TEST(FarLevels, BeginWhereTheyAreAskedFor) {
    Scene scene;
    const int maps = addTexture(scene, {128, 128, 255, 255});
    const int rich = addMaterial(scene, {{"normalTexture", {{"index", maps}}}});
    Mesh ball = test::makeSphere(48, 32);
    ball.parts.push_back(test::makeSphere(48, 32, 0.5).parts[0]);
    for (Part& part : ball.parts) part.material = rich;
    Scene placed = test::makeScene({{ball, {0, 0, 0}}});
    placed.materials = scene.materials;
    placed.textures = scene.textures;
    placed.images = scene.images;
    LadderSettings settings;
    settings.minTriangles = 1;
    settings.simplifyLevel0 = false;
    settings.levels = 3;
    settings.plainFromLevel = 2;
    settings.singlePartFromLevel = 3;
    const Fixed fixed = applyLadder(placed, settings, display(), noProgress()).value();
    const Asset& asset = fixed.scene.assets[0];
    ASSERT_EQ(asset.ladder.levels.size(), 3U);
    EXPECT_EQ(asset.mesh->parts[0].material, rich);
    EXPECT_EQ(asset.level(1)->parts[0].material, rich);
    EXPECT_NE(asset.level(2)->parts[0].material, rich);
    EXPECT_EQ(asset.level(2)->parts.size(), 2U);
    EXPECT_EQ(asset.level(3)->parts.size(), 1U);
    EXPECT_TRUE(asset.level(3)->parts[0].find("COLOR_0"));
}

}  // namespace
}  // namespace flentro
