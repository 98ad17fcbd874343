// Plainer materials, masks together, fewer materials, and what Tidy does with textures.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "base/index.h"
#include "fixes/fewer_materials/fewer_materials.h"
#include "fixes/masks/masks.h"
#include "fixes/plain_materials/material_look.h"
#include "fixes/plain_materials/plain_materials.h"
#include "fixes/tidy/textures.h"
#include "fixes/work_order.h"
#include "picture/texels.h"
#include "support/pictures.h"
#include "support/surveys.h"

namespace flentro {
namespace {

using test::addMaterial;
using test::addPicture;
using test::makePicture;
using testing::Contains;
using testing::ElementsAre;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::UnorderedElementsAre;

std::array<int, 4> noise(int x, int y) {
    return {(x * 37 + y * 101) % 256, (x * 11 + y * 7) % 256, (x + y) % 256, 255};
}

/// A box of 1 m with coordinates that run over all of its faces.
Mesh coveredBox() {
    Mesh box = test::makeBox({1, 1, 1});
    std::vector<Vec2f> coords;
    for (const Vec3f& p : positionsOf(box.parts[0]))
        coords.emplace_back(p.x() + 0.5F * p.y(), p.z() + 0.7F * p.y());
    box.parts[0].set("TEXCOORD_0", makeStream(coords));
    return box;
}

/// A box of 1 m near the eye and one far away, each with a material of all maps.
class Maps : public testing::Test {
protected:
    Maps() {
        scene_ = test::makeScene({{test::named(coveredBox(), "near"), {0, 0, -5}},
                                  {test::named(coveredBox(), "far"), {20, 0, -90}}});
        for (std::size_t a = 0; a < 2; ++a)
            test::setMaterial(scene_, a, addMaterial(scene_, maps()));
        scene_.materials[0].name = "near";
        scene_.materials[1].name = "far";
    }
    Json maps() {
        const auto picture = [&](int channels) {
            return Json{{"index", addPicture(scene_, makePicture(16, 16, noise, channels))}};
        };
        return {{"pbrMetallicRoughness",
                 {{"baseColorTexture", picture(3)},
                  {"roughnessFactor", 0.5},
                  {"metallicRoughnessTexture",
                   {{"index", addPicture(scene_, makePicture(16, 16, test::plain({0, 102, 51, 255}),
                                                             3))}}}}},
                {"normalTexture",
                 {{"index",
                   addPicture(scene_, makePicture(16, 16, test::plain({128, 128, 255, 255}), 3))}}},
                {"occlusionTexture", picture(3)},
                {"extensions", {{"KHR_materials_clearcoat", {{"clearcoatFactor", 1}}}}}};
    }
    [[nodiscard]] Evidence evidence() const {
        return evidenceOf(
            test::surveyed(scene_, test::spotsAt({{0, 0, 0}}), test::plainSurvey(256)), scene_);
    }
    [[nodiscard]] Fixed plain(const Evidence& evidence,
                              const PlainMaterialSettings& settings = {}) const {
        return applyPlainMaterials(scene_, settings, test::surveyDisplay(), evidence, noProgress())
            .value();
    }
    static std::vector<std::string> rolesOf(const Material& material) {
        std::vector<std::string> roles;
        for (const TextureUse& use : material.textures) roles.push_back(use.role);
        return roles;
    }

    Scene scene_;
};

TEST_F(Maps, GoWhereNobodySeesThemLarge) {
    const Fixed fixed = plain(evidence());
    EXPECT_EQ(rolesOf(fixed.scene.materials[0]), rolesOf(scene_.materials[0])) << "156 pixels";
    EXPECT_THAT(rolesOf(fixed.scene.materials[1]), ElementsAre("baseColorTexture")) << "9 pixels";
    EXPECT_NEAR(fixed.scene.materials[1].roughness, 0.5 * 0.4, 0.01) << "the mean of its map";
    EXPECT_NEAR(fixed.scene.materials[1].metallic, 0.2, 1e-3);
    EXPECT_FALSE(fixed.scene.materials[1].source.contains("extensions"));
    EXPECT_EQ(fixed.scene.materials[1].name, "far");
    const auto* report = fixed.record.reportAs<PlainMaterialReport>();
    ASSERT_EQ(report->materials.size(), 1U);
    EXPECT_THAT(report->materials[0].lost,
                UnorderedElementsAre("normal map", "occlusion map", "roughness map", "clear coat"));
    EXPECT_LT(report->materials[0].pixels, 20);
}

TEST_F(Maps, StayWhereTheyWouldBeMissed) {
    const Evidence seen = evidence();
    PlainMaterialSettings strict;
    strict.maxChange = 0;
    const Fixed kept = plain(seen, strict);
    EXPECT_EQ(rolesOf(kept.scene.materials[1]), rolesOf(scene_.materials[1]));
    EXPECT_THAT(kept.record.reportAs<PlainMaterialReport>()->materials, IsEmpty());
    EXPECT_THAT(kept.record.notes, Contains(HasSubstr("1 material keeps its maps")));
    strict.maxChange = 1;
    const Fixed lost = plain(seen, strict);
    const auto& rows = lost.record.reportAs<PlainMaterialReport>()->materials;
    ASSERT_EQ(rows.size(), 1U);
    EXPECT_GT(rows[0].change, 0);
    EXPECT_LT(rows[0].change, 0.5);
}

TEST_F(Maps, WhatDoesNotShowIsNoReasonToKeepThem) {
    // Flat normals and one roughness everywhere: nothing is lost but the images.
    Json json = scene_.materials[1].source;
    json.erase("occlusionTexture");
    json.erase("extensions");
    scene_.materials[1] = parseMaterial(json);
    PlainMaterialSettings strict;
    strict.maxChange = 0.02;
    const Fixed fixed = plain(evidence(), strict);
    EXPECT_THAT(rolesOf(fixed.scene.materials[1]), ElementsAre("baseColorTexture"))
        << materialLook(scene_, 1, 1, plain(evidence(), {}).scene.materials[1], 24,
                        test::surveyDisplay())
               .change;
}

TEST_F(Maps, ChangesOfLooksAreMeasuredOnTheThingAlone) {
    const Target target = test::surveyDisplay();
    const Material& own = scene_.materials[0];
    EXPECT_EQ(materialLook(scene_, 0, 0, own, 64, target).change, 0);
    Json json = own.source;
    json["pbrMetallicRoughness"].erase("baseColorTexture");
    json["pbrMetallicRoughness"]["baseColorFactor"] = {0, 0, 0, 1};
    const double black = materialLook(scene_, 0, 0, parseMaterial(json), 64, target).change;
    EXPECT_GT(black, 0.2);
    json["pbrMetallicRoughness"]["baseColorFactor"] = {0.4, 0.4, 0.4, 1};
    EXPECT_LT(materialLook(scene_, 0, 0, parseMaterial(json), 64, target).change, black);
}

TEST_F(Maps, StayWithoutASurveyButOnBackdrops) {
    EXPECT_THAT(plain({}).record.reportAs<PlainMaterialReport>()->materials, IsEmpty());
    scene_.assets[0].importance = Importance::Backdrop;
    const Fixed fixed = plain({});
    EXPECT_THAT(rolesOf(fixed.scene.materials[0]), ElementsAre("baseColorTexture"));
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("Without a survey")));
}

TEST_F(Maps, StayOnWhatIsKeptOrAnimated) {
    const Evidence seen = evidence();
    scene_.assets[1].importance = Importance::Keep;
    EXPECT_THAT(plain(seen).record.reportAs<PlainMaterialReport>()->materials, IsEmpty());
    scene_.assets[1].importance = Importance::Normal;
    Animation animation;
    animation.channels =
        Json::array({{{"sampler", 0},
                      {"target",
                       {{"path", "pointer"},
                        {"extensions",
                         {{"KHR_animation_pointer",
                           {{"pointer", "/materials/1/occlusionTexture/strength"}}}}}}}}});
    scene_.animations = {animation};
    const Fixed fixed = plain(seen);
    EXPECT_THAT(fixed.record.reportAs<PlainMaterialReport>()->materials, IsEmpty());
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("animations change them")));
}

TEST_F(Maps, TinyOnesNeedNoLightWhereAsked) {
    PlainMaterialSettings settings;
    settings.unlitPixels = 20;
    const Fixed fixed = plain(evidence(), settings);
    EXPECT_FALSE(fixed.scene.materials[0].unlit);
    EXPECT_TRUE(fixed.scene.materials[1].unlit);
}

TEST_F(Maps, ClosedThingsNeedOneSideOnly) {
    for (Material& material : scene_.materials) {
        Json json = material.source;
        json["doubleSided"] = true;
        material = parseMaterial(json);
    }
    Mesh open = *scene_.assets[1].mesh;
    open.parts[0].indices.resize(open.parts[0].indices.size() - 3);
    scene_.assets[1].mesh = finishMesh(open);
    const Fixed fixed = plain({});
    EXPECT_FALSE(fixed.scene.materials[0].doubleSided);
    EXPECT_TRUE(fixed.scene.materials[1].doubleSided) << "a triangle is missing";
}

TEST(PlainMaterials, BlendingGoesWhereAlphaIsAllOrNothing) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    const auto blended = [&](const test::PixelOf& pixel, double factor = 1) {
        const int texture = addPicture(scene, makePicture(16, 16, pixel));
        return addMaterial(scene, {{"alphaMode", "BLEND"},
                                   {"pbrMetallicRoughness",
                                    {{"baseColorFactor", {1, 1, 1, factor}},
                                     {"baseColorTexture", {{"index", texture}}}}}});
    };
    const int leaf = blended([](int x, int) -> std::array<int, 4> {
        return {40, 90, 30, x < 8 ? 255 : 0};
    });
    const int whole = blended(test::plain({40, 90, 30, 255}));
    const int smoke = blended([](int x, int) -> std::array<int, 4> {
        return {40, 40, 40, x * 16};
    });
    const int glass = blended(test::plain({40, 90, 30, 255}), 0.4);
    const Scene after = applyPlainMaterials(scene, {}, {}, {}, noProgress())->scene;
    const auto mode = [&](int m) { return elementOf(after.materials, m).alphaMode; };
    EXPECT_EQ(mode(leaf), AlphaMode::Mask);
    EXPECT_EQ(mode(whole), AlphaMode::Opaque);
    EXPECT_EQ(mode(smoke), AlphaMode::Blend);
    EXPECT_EQ(mode(glass), AlphaMode::Blend);
}

// --- masks --------------------------------------------------------------------------------

class Masks : public testing::Test {
protected:
    Masks() {
        scene_ = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
        occlusion_ = addPicture(scene_, makePicture(8, 8, test::plain({200, 1, 2, 255}), 3));
        rough_ = addPicture(scene_, makePicture(16, 16, test::plain({9, 120, 30, 255}), 3));
        test::setMaterial(scene_, 0, addMaterial(scene_, source()));
        for (TextureStorage& storage : target_.storage) storage.bytesPerTexel = 1;
    }
    [[nodiscard]] Json source() const {
        return {{"name", "wall"},
                {"pbrMetallicRoughness", {{"metallicRoughnessTexture", {{"index", rough_}}}}},
                {"occlusionTexture", {{"index", occlusion_}, {"strength", 0.7}}}};
    }
    [[nodiscard]] Fixed joined() const {
        return applyMasks(scene_, {}, target_, noProgress()).value();
    }

    Scene scene_;
    Target target_;
    int occlusion_ = 0, rough_ = 0;
};

TEST_F(Masks, GoIntoOneImageAtTheLargerSize) {
    const Fixed fixed = joined();
    ASSERT_EQ(fixed.scene.images.size(), 1U) << "both are used no more";
    const auto pixels = decodeImage(fixed.scene.images[0], 4096);
    ASSERT_TRUE(pixels);
    EXPECT_EQ(pixels->width, 16);
    EXPECT_NEAR(pixels->rgba[0], 200, 1);
    EXPECT_EQ(pixels->rgba[1], 120);
    EXPECT_EQ(pixels->rgba[2], 30);
    const Material& material = fixed.scene.materials[0];
    EXPECT_EQ(material.texture("occlusionTexture"), material.texture("metallicRoughnessTexture"));
    EXPECT_EQ(material.source["occlusionTexture"]["strength"], 0.7);
    EXPECT_EQ(material.name, "wall");
    const auto* report = fixed.record.reportAs<MaskReport>();
    ASSERT_EQ(report->masks.size(), 1U);
    EXPECT_DOUBLE_EQ(report->masks[0].bytesSaved, 64 * 4.0 / 3);
}

TEST_F(Masks, StayApartWhereThatTakesLess) {
    // Alone, a single mask takes a tenth of what packed ones take.
    elementOf(target_.storage, TextureClass::Mask).bytesPerTexel = 0.1;
    scene_.images[0] = makePicture(64, 64, test::plain({200, 1, 2, 255}), 3);
    EXPECT_THAT(joined().record.reportAs<MaskReport>()->masks, IsEmpty());
}

TEST_F(Masks, StayApartWhereTheyAreLaidOtherwiseOrShared) {
    Json other = source();
    other["occlusionTexture"]["texCoord"] = 1;
    scene_.materials[0] = parseMaterial(other);
    EXPECT_THAT(joined().record.reportAs<MaskReport>()->masks, IsEmpty());
    scene_.materials[0] = parseMaterial(source());
    addMaterial(scene_, {{"occlusionTexture", {{"index", occlusion_}}}});
    EXPECT_THAT(joined().record.reportAs<MaskReport>()->masks, IsEmpty());
}

// --- fewer materials ----------------------------------------------------------------------

/// A box whose sides have a plain colour each.
Scene colouredBox(const std::vector<Json>& materials) {
    Scene scene = test::makeScene({{test::named(test::makeBox({1, 1, 1}), "box"), {0, 0, -5}}});
    const Mesh box = *scene.assets[0].mesh;
    Mesh parted = box;
    parted.parts.clear();
    for (std::size_t i = 0; i < materials.size(); ++i) {
        Part part = box.parts[0];
        part.indices.assign(box.parts[0].indices.begin() + static_cast<std::ptrdiff_t>(6 * i),
                            box.parts[0].indices.begin() + static_cast<std::ptrdiff_t>(6 * i + 6));
        part.material = addMaterial(scene, materials[i]);
        parted.parts.push_back(dropUnusedVertices(part));
    }
    scene.assets[0].mesh = finishMesh(parted);
    return scene;
}

Json colour(double r, double g, double b, double roughness = 0.5) {
    return {{"pbrMetallicRoughness",
             {{"baseColorFactor", {r, g, b, 1}}, {"roughnessFactor", roughness}}}};
}

TEST(FewerMaterials, PlainColoursComeFromOnePalette) {
    Json glowing = colour(0, 0, 0);
    glowing["emissiveFactor"] = {1, 0.5, 0};
    const Scene scene =
        colouredBox({colour(1, 0, 0), colour(0, 0.2, 0, 0.9), colour(0.1, 0.1, 0.8), glowing});
    const Fixed fixed =
        applyFewerMaterials(scene, {}, test::surveyDisplay(), {}, noProgress()).value();
    const Mesh& mesh = *fixed.scene.assets[0].mesh;
    ASSERT_EQ(mesh.parts.size(), 1U);
    EXPECT_EQ(mesh.triangles, 8U);
    const Material& palette = elementOf(fixed.scene.materials, mesh.parts[0].material);
    const TextureCache textures(fixed.scene, 64);
    const auto shown = [&](const char* role, std::uint32_t v) {
        const Stream& coords = *mesh.parts[0].find("TEXCOORD_0");
        return textures.find(palette.texture(role))
            ->at({coords.value(v, 0), coords.value(v, 1)}, 1);
    };
    // Every vertex shows the colour, roughness and glow of the material that it had.
    const Stream& positions = *mesh.parts[0].find("POSITION");
    std::size_t looked = 0;
    for (std::size_t m = 0; m < 4; ++m)
        for (std::size_t i = 0; i < scene.assets[0].mesh->parts[m].vertexCount(); ++i, ++looked) {
            const auto v = static_cast<std::uint32_t>(looked);
            const Stream& before = *scene.assets[0].mesh->parts[m].find("POSITION");
            ASSERT_EQ(positions.value(v, 0), before.value(i, 0));
            const Material& own = scene.materials[m];
            for (int c = 0; c < 3; ++c) {
                EXPECT_NEAR(shown("baseColorTexture", v)[c], toDisplay(own.baseColor[c]), 0.003);
                EXPECT_NEAR(shown("emissiveTexture", v)[c], toDisplay(own.emissive[c]), 0.003);
            }
            EXPECT_NEAR(shown("metallicRoughnessTexture", v)[1], own.roughness, 0.003);
        }
    EXPECT_EQ(looked, 16U);
    EXPECT_THAT(fixed.record.summary, HasSubstr("4 materials read their colours from 1 palette"));
}

TEST(FewerMaterials, OnlyWhatDiffersByNumbersShares) {
    Json twoSided = colour(0, 0, 1);
    twoSided["doubleSided"] = true;
    Scene scene = colouredBox({colour(1, 0, 0), colour(0, 1, 0), twoSided});
    const auto parts = [&] {
        return applyFewerMaterials(scene, {}, test::surveyDisplay(), {}, noProgress())
            ->scene.assets[0]
            .mesh->parts.size();
    };
    EXPECT_EQ(parts(), 2U);
    scene.assets[0].importance = Importance::Keep;
    EXPECT_EQ(parts(), 3U);
}

TEST(FewerMaterials, AcrossObjectsOnlyWhereAsked) {
    Scene scene = test::makeScene(
        {{test::makeBox({1, 1, 1}), {0, 0, -5}}, {test::makeBox({2, 1, 1}), {3, 0, -5}}});
    test::setMaterial(scene, 0, addMaterial(scene, colour(1, 0, 0)));
    test::setMaterial(scene, 1, addMaterial(scene, colour(0, 1, 0)));
    FewerMaterialSettings settings;
    const auto material = [&](std::size_t a) {
        return applyFewerMaterials(scene, settings, test::surveyDisplay(), {}, noProgress())
            ->scene.assets[a]
            .mesh->parts[0]
            .material;
    };
    EXPECT_EQ(material(0), 0);
    settings.wholeScene = true;
    EXPECT_EQ(material(0), 2);
    EXPECT_EQ(material(1), 2);
}

TEST(FewerMaterials, SmallPartsTakeTheLikestBesideThem) {
    Scene scene = colouredBox({colour(0.8, 0, 0), colour(0, 0, 0.8), colour(0.7, 0.1, 0)});
    // The third side is a speck of its size.
    Mesh mesh = *scene.assets[0].mesh;
    std::vector<Vec3f> points = positionsOf(mesh.parts[2]);
    for (Vec3f& point : points) point = points[0] + 0.02F * (point - points[0]);
    mesh.parts[2].set("POSITION", makeStream(points));
    scene.assets[0].mesh = finishMesh(mesh);
    Target target = test::surveyDisplay();
    at(target.limits, Measure::MaterialsPerObject) = 2;
    FewerMaterialSettings settings;
    settings.palette = false;
    settings.bakePage = 0;
    settings.divide = false;
    const Evidence evidence = evidenceOf(
        test::surveyed(scene, test::spotsAt({{-3, 3, 0}}), test::plainSurvey(128)), scene);
    const Fixed fixed =
        applyFewerMaterials(scene, settings, target, evidence, noProgress()).value();
    const Mesh& after = *fixed.scene.assets[0].mesh;
    ASSERT_EQ(after.parts.size(), 2U);
    EXPECT_EQ(after.parts[0].material, 0);
    EXPECT_EQ(after.parts[0].triangleCount(), 4U) << "the red speck went to the red side";
    settings.smallPixels = 0;
    const Fixed none = applyFewerMaterials(scene, settings, target, evidence, noProgress()).value();
    EXPECT_EQ(none.scene.assets[0].mesh->parts.size(), 3U);
    EXPECT_THAT(none.record.notes, Contains(HasSubstr("box: 3 of 2")));
}

TEST(FewerMaterials, HardlyDifferentOnesBecomeOneWhileThereAreTooMany) {
    // 0.95 of full light shows as 0.977; 0.5 as 0.735.
    const Scene scene = colouredBox({colour(1, 1, 1), colour(0.95, 1, 1), colour(0.5, 1, 1)});
    Target target = test::surveyDisplay();
    at(target.limits, Measure::MaterialsPerObject) = 2;
    FewerMaterialSettings settings;
    settings.palette = false;
    settings.bakePage = 0;
    settings.divide = false;
    settings.smallPixels = 0;
    const auto after = [&] {
        return applyFewerMaterials(scene, settings, target, {}, noProgress()).value();
    };
    const Fixed fixed = after();
    ASSERT_EQ(fixed.scene.assets[0].mesh->parts.size(), 2U);
    EXPECT_EQ(fixed.record.reportAs<FewerMaterialReport>()->alike, 1U);
    EXPECT_EQ(fixed.scene.assets[0].mesh->triangles, 6U);
    settings.alikeColour = 0.01;
    EXPECT_EQ(after().scene.assets[0].mesh->parts.size(), 3U);
    settings.alikeColour = 0.5;
    EXPECT_EQ(after().scene.assets[0].mesh->parts.size(), 2U) << "no further than the limit";
}

// --- textures that say nothing ------------------------------------------------------------

TEST(TidyTextures, OneColourBecomesANumber) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    const auto picture = [&](std::array<int, 4> c) {
        return Json{{"index", addPicture(scene, makePicture(16, 16, test::plain(c), 3))}};
    };
    const int material =
        addMaterial(scene, {{"pbrMetallicRoughness",
                             {{"baseColorFactor", {0.5, 1, 1, 1}},
                              {"baseColorTexture", picture({188, 255, 0, 255})},
                              {"metallicRoughnessTexture", picture({0, 51, 255, 255})}}},
                            {"emissiveFactor", {1, 1, 1}},
                            {"emissiveTexture", picture({0, 0, 0, 255})},
                            {"normalTexture", picture({128, 128, 255, 255})},
                            {"occlusionTexture", picture({100, 100, 100, 255})}});
    test::setMaterial(scene, 0, material);
    const auto tidied = tidyTextures(scene, noProgress()).value();
    const Material& after = scene.materials[0];
    EXPECT_EQ(tidied.oneColour, 4U);
    ASSERT_EQ(after.textures.size(), 1U);
    EXPECT_EQ(after.textures[0].role, "occlusionTexture") << "has no number of its own";
    EXPECT_NEAR(after.baseColor.x(), 0.25, 0.005) << "188 of 255 is half the light";
    EXPECT_NEAR(after.baseColor.y(), 1, 1e-6);
    EXPECT_EQ(after.baseColor.z(), 0);
    EXPECT_NEAR(after.roughness, 0.2, 1e-6);
    EXPECT_EQ(after.metallic, 1);
    EXPECT_TRUE(after.emissive.isZero());
    EXPECT_EQ(tidied.unused, 4U);
    EXPECT_EQ(scene.images.size(), 1U);
}

TEST(TidyTextures, AlphaThatSaysNothingGoesAndFiltersReadMipMaps) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    const auto half = [](int x, int) -> std::array<int, 4> { return {x, 0, 0, x < 8 ? 255 : 0}; };
    const auto faint = [](int x, int) -> std::array<int, 4> { return {x, 0, 0, 100 + x}; };
    const int unread = addPicture(scene, makePicture(16, 16, faint));
    const int read = addPicture(scene, makePicture(16, 16, half));
    scene.samplers = {{9729, {{"minFilter", 9729}}}, {9728, {{"minFilter", 9728}}}};
    scene.textures[0].sampler = 0;
    scene.textures[1].sampler = 1;
    const auto material = [&](int texture, const char* mode) {
        return addMaterial(
            scene, {{"alphaMode", mode},
                    {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", texture}}}}}});
    };
    Mesh mesh = *scene.assets[0].mesh;
    mesh.parts.push_back(mesh.parts[0]);
    mesh.parts[0].material = material(unread, "OPAQUE");
    mesh.parts[1].material = material(read, "MASK");
    scene.assets[0].mesh = finishMesh(mesh);
    const auto tidied = tidyTextures(scene, noProgress()).value();
    EXPECT_EQ(tidied.alphas, 1U);
    EXPECT_EQ(scene.images[0].channels, 3);
    EXPECT_EQ(probeImage(*scene.images[0].data)->channels, 3);
    EXPECT_EQ(scene.images[1].channels, 4);
    EXPECT_EQ(tidied.filters, 1U);
    EXPECT_TRUE(scene.samplers[0].usesMipMaps());
    EXPECT_FALSE(scene.samplers[1].usesMipMaps()) << "nearest texels are meant";
}

}  // namespace
}  // namespace flentro
