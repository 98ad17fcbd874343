// Texture size, and what textures are counted by.

#include "fixes/texture_size/texture_size.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>

#include "measure/texture_memory.h"
#include "picture/resample.h"
#include "support/pictures.h"
#include "support/surveys.h"

namespace flentro {
namespace {

using test::addMaterial;
using test::addPicture;
using testing::Contains;
using testing::HasSubstr;

std::array<int, 4> noise(int x, int y) {
    return {(x * 37 + y * 101) % 256, (x * 11 + y * 7) % 256, (x + y) % 256, 255};
}

/// A square of 4 m that shows a picture once, 10 m before the eye.
Scene wallWith(int edge, const char* role = "baseColorTexture") {
    Scene scene = test::makeScene({{test::makeGrid(1, 1, 4), {0, 0, 0}}});
    const int texture = addPicture(scene, test::makePicture(edge, edge, noise, 3));
    Json source = {{"doubleSided", true}, {"pbrMetallicRoughness", {{"roughnessFactor", 0.3}}}};
    (std::string(role) == "normalTexture" ? source : source["pbrMetallicRoughness"])[role] = {
        {"index", texture}};
    test::setMaterial(scene, 0, addMaterial(scene, source));
    // Stood up: y where z was.
    Node& node = scene.nodes[0];
    node.local.setIdentity();
    node.local.block<3, 1>(0, 2) = Vec3d(0, 1, 0);
    node.local.block<3, 1>(0, 1) = Vec3d(0, 0, -1);
    node.local.topRightCorner<3, 1>() = Vec3d(-2, -2, -10);
    flatten(scene);
    return scene;
}

Target limitless() {
    Target target = test::surveyDisplay();
    target.limits = kNoLimits;
    return target;
}

Evidence evidenceFor(const Scene& scene) {
    return evidenceOf(test::surveyed(scene, test::spotsAt({{0, 0, 0}}), test::plainSurvey(128)),
                      scene);
}

/// Pixels of the wall's edge on the display: 4 m at 10 m, 900 rows over 60 degrees.
const double kShown = 4 * 900 / (2 * std::tan(kPi / 6)) / 10;  // 311.8

TEST(TextureSize, HalvesAsOftenAsNoPixelMissesIt) {
    const Scene scene = wallWith(2048);
    const Evidence evidence = evidenceFor(scene);
    ASSERT_EQ(evidence.images.size(), 1U);
    EXPECT_NEAR(evidence.images[0].edge, kShown, 0.04 * kShown);
    TextureSizeSettings settings;
    const Fixed fixed =
        applyTextureSize(scene, settings, limitless(), evidence, noProgress()).value();
    // 2048, 1024, 512: 256 would be fewer than 312.
    EXPECT_EQ(fixed.scene.images[0].width, 512);
    EXPECT_EQ(fixed.scene.images[0].mime, "image/png");
    EXPECT_EQ(fixed.scene.images[0].source(), scene.images[0].hash);
    EXPECT_EQ(probeImage(*fixed.scene.images[0].data)->width, 512);
    EXPECT_EQ(scene.images[0].width, 2048);
    settings.texelsPerPixel = 2;
    EXPECT_EQ(applyTextureSize(scene, settings, limitless(), evidence, noProgress())
                  ->scene.images[0]
                  .width,
              1024);
    settings.texelsPerPixel = 0.5;
    EXPECT_EQ(applyTextureSize(scene, settings, limitless(), evidence, noProgress())
                  ->scene.images[0]
                  .width,
              256);
}

TEST(TextureSize, TellsWhatItSavesAndHowMuchDiffers) {
    const Scene scene = wallWith(2048);
    const Target target = limitless();
    const Fixed fixed =
        applyTextureSize(scene, {}, target, evidenceFor(scene), noProgress()).value();
    const auto* report = fixed.record.reportAs<TextureSizeReport>();
    ASSERT_TRUE(report);
    ASSERT_EQ(report->images.size(), 1U);
    EXPECT_DOUBLE_EQ(report->images[0].bytes, 2048.0 * 2048 * 4 / 3);
    EXPECT_DOUBLE_EQ(report->images[0].newBytes, 512.0 * 512 * 4 / 3);
    EXPECT_EQ(report->images[0].use, "color");
    EXPECT_LT(report->images[0].difference, 0.05) << "as large as it is seen";
    EXPECT_THAT(fixed.record.summary, HasSubstr("1 of 1 image smaller"));
}

TEST(TextureSize, ASecondSurveyOfTheResultAsksForNoLess) {
    const Scene scene = wallWith(2048);
    const Target target = limitless();
    const Evidence evidence = evidenceFor(scene);
    const Scene after = applyTextureSize(scene, {}, target, evidence, noProgress())->scene;
    const Evidence again = evidenceFor(after);
    ASSERT_TRUE(again.needOf(scene.images[0])) << "known by the image as it was read";
    EXPECT_NEAR(again.needOf(scene.images[0])->edge, evidence.images[0].edge, 3);
    EXPECT_EQ(applyTextureSize(scene, {}, target, again, noProgress())->scene.images[0].width, 512);
}

TEST(TextureSize, ImportanceAsksForMoreOrLess) {
    Scene scene = wallWith(2048);
    const Evidence evidence = evidenceFor(scene);
    const auto widthFor = [&](Importance importance) {
        scene.assets[0].importance = importance;
        return applyTextureSize(scene, {}, limitless(), evidence, noProgress())
            ->scene.images[0]
            .width;
    };
    EXPECT_EQ(widthFor(Importance::Hero), 1024);
    EXPECT_EQ(widthFor(Importance::Backdrop), 256);
    EXPECT_EQ(widthFor(Importance::Keep), 2048);
}

TEST(TextureSize, WithoutASurveyOnlyTheLimitAndTheHalvingsCount) {
    const Scene scene = wallWith(1024);
    Target target = limitless();
    at(target.limits, Measure::TextureEdge) = 700;
    TextureSizeSettings settings;
    const Fixed capped = applyTextureSize(scene, settings, target, {}, noProgress()).value();
    EXPECT_EQ(capped.scene.images[0].width, 512);
    EXPECT_THAT(capped.record.notes, Contains(HasSubstr("Without a survey")));
    settings.capEdge = false;
    EXPECT_EQ(applyTextureSize(scene, settings, target, {}, noProgress())->scene.images[0].width,
              1024);
    settings.halvings = 2;
    EXPECT_EQ(applyTextureSize(scene, settings, target, {}, noProgress())->scene.images[0].width,
              256);
    settings.halvings = 8;
    EXPECT_EQ(applyTextureSize(scene, settings, target, {}, noProgress())->scene.images[0].width, 4)
        << "never below 4";
}

TEST(TextureSize, StepsAndSizesByHand) {
    Scene scene = wallWith(600);
    TextureSizeSettings settings;
    settings.steps = TextureSizeSettings::Steps::PowersOfTwo;
    const auto width = [&](const Evidence& evidence) {
        return applyTextureSize(scene, settings, test::surveyDisplay(), evidence, noProgress())
            ->scene.images[0]
            .width;
    };
    EXPECT_EQ(width({}), 64) << "the limit of 100 pixels comes first";
    settings.capEdge = false;
    EXPECT_EQ(width({}), 512);
    settings.steps = TextureSizeSettings::Steps::Exact;
    const Evidence evidence = evidenceFor(scene);
    EXPECT_EQ(width(evidence), evidence.images[0].edge);
    settings.overrides["picture"] = 200;
    EXPECT_EQ(width(evidence), 200);
    scene.assets[0].importance = Importance::Keep;
    EXPECT_EQ(width(evidence), 200) << "what is set by hand is set by hand";
}

TEST(TextureSize, LeavesAloneWhatItCannotReadAndSaysSo) {
    Scene scene = wallWith(256);
    scene.images[0].mime = "image/ktx2";
    TextureSizeSettings settings;
    settings.halvings = 1;
    const Fixed fixed = applyTextureSize(scene, settings, limitless(), {}, noProgress()).value();
    EXPECT_EQ(fixed.scene.images[0].width, 256);
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("KTX2")));
    scene.images[0].data = nullptr;
    EXPECT_THAT(applyTextureSize(scene, settings, limitless(), {}, noProgress())->record.notes,
                Contains(HasSubstr("missing")));
}

TEST(TextureSize, LostReliefBecomesRoughness) {
    const Scene scene = wallWith(256, "normalTexture");
    TextureSizeSettings settings;
    settings.halvings = 4;
    settings.capEdge = false;
    const Fixed fixed = applyTextureSize(scene, settings, limitless(), {}, noProgress()).value();
    EXPECT_GT(fixed.scene.materials[0].roughness, 0.35F);
    EXPECT_EQ(fixed.scene.materials[0].source["pbrMetallicRoughness"]["roughnessFactor"],
              fixed.scene.materials[0].roughness);
    settings.softenHighlights = false;
    EXPECT_EQ(applyTextureSize(scene, settings, limitless(), {}, noProgress())
                  ->scene.materials[0]
                  .roughness,
              0.3F);
}

/// A wall with a roughness map of 0.4 and a normal map that is flat on the left and leans 30
/// degrees one way and the other, column by column, on the right.
Scene ridgedWall() {
    Scene scene = wallWith(64, "normalTexture");
    const double lean = toRadians(30);
    scene.images[0] = test::makePicture(
        64, 64,
        [&](int x, int) -> std::array<int, 4> {
            const double across = x < 32 ? 0 : x % 2 ? std::sin(lean) : -std::sin(lean);
            const double out = x < 32 ? 1 : std::cos(lean);
            return {static_cast<int>(std::lround((across + 1) * 127.5)), 128,
                    static_cast<int>(std::lround((out + 1) * 127.5)), 255};
        },
        3);
    scene.images[0].name = "ridges";
    const int rough =
        addPicture(scene, test::makePicture(64, 64, test::plain({9, 102, 7, 255}), 3));
    scene.images[1].name = "rough";
    Json source = scene.materials[0].source;
    source["pbrMetallicRoughness"]["roughnessFactor"] = 1;
    source["pbrMetallicRoughness"]["metallicRoughnessTexture"] = {{"index", rough}};
    scene.materials[0] = parseMaterial(source);
    return scene;
}

TextureSizeSettings onlyRidgesSmaller() {
    TextureSizeSettings settings;
    settings.capEdge = false;
    settings.overrides["ridges"] = 16;
    return settings;
}

TEST(TextureSize, LostReliefGoesIntoTheRoughnessMapWhereThereIsOne) {
    const Scene scene = ridgedWall();
    const Fixed fixed =
        applyTextureSize(scene, onlyRidgesSmaller(), limitless(), {}, noProgress()).value();
    ASSERT_EQ(fixed.scene.images[0].width, 16);
    const Image& rough = fixed.scene.images[1];
    EXPECT_EQ(rough.width, 64);
    EXPECT_EQ(rough.source(), scene.images[1].hash);
    const Pixels pixels = decodeImage(rough, 4096).value();
    const auto at = [&](int x, int channel) {
        return static_cast<int>(pixels.rgba[static_cast<std::size_t>((20 * 64 + x) * 4 + channel)]);
    };
    EXPECT_EQ(at(10, 1), 102) << "flat before and after";
    EXPECT_NEAR(at(50, 1), 255 * roughnessFor(0.4, std::cos(toRadians(30))), 2);
    EXPECT_GT(at(50, 1), 140);
    EXPECT_EQ(at(50, 0), 9);
    EXPECT_EQ(at(50, 2), 7);
    EXPECT_EQ(fixed.scene.materials[0].roughness, 1);
    EXPECT_THAT(fixed.record.notes, Contains(HasSubstr("1 material is rougher")));
}

TEST(TextureSize, RoughnessMapsUnderDifferentReliefsStay) {
    Scene scene = ridgedWall();
    Json flat = scene.materials[0].source;
    flat.erase("normalTexture");
    addMaterial(scene, flat);
    const Fixed shared =
        applyTextureSize(scene, onlyRidgesSmaller(), limitless(), {}, noProgress()).value();
    EXPECT_EQ(shared.scene.images[1].hash, scene.images[1].hash);
    TextureSizeSettings off = onlyRidgesSmaller();
    off.softenHighlights = false;
    const Scene alone = ridgedWall();
    EXPECT_EQ(applyTextureSize(alone, off, limitless(), {}, noProgress())->scene.images[1].hash,
              alone.images[1].hash);
}

// --- texture memory -----------------------------------------------------------------------

TEST(TextureMemory, CountsByWhatImagesAreFor) {
    Scene scene;
    const auto add = [&](int channels) {
        return addPicture(scene, test::makePicture(16, 16, noise, channels));
    };
    const int base = add(4);
    const int leaf = add(4);
    const int normal = add(3);
    const int packed = add(3);
    const int occlusion = add(3);
    const int odd = add(3);
    addMaterial(scene, {{"pbrMetallicRoughness",
                         {{"baseColorTexture", {{"index", base}}},
                          {"metallicRoughnessTexture", {{"index", packed}}}}},
                        {"normalTexture", {{"index", normal}}},
                        {"occlusionTexture", {{"index", occlusion}}}});
    addMaterial(scene, {{"alphaMode", "MASK"},
                        {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", leaf}}}}},
                        {"extensions", {{"OURS_odd", {{"oddTexture", {{"index", odd}}}}}}}});
    EXPECT_THAT(textureClasses(scene),
                testing::ElementsAre(TextureClass::Color, TextureClass::ColorWithAlpha,
                                     TextureClass::Normal, TextureClass::PackedMasks,
                                     TextureClass::Mask, TextureClass::Data));
    Target target;
    target.mipMaps = false;
    for (std::size_t i = 0; i < kTextureClassCount; ++i)
        target.storage[i].bytesPerTexel = static_cast<double>(i + 1);
    const TextureMemory memory(scene, target);
    EXPECT_EQ(memory.of(0), 256);
    EXPECT_EQ(memory.of(2), 3 * 256);
    EXPECT_EQ(memory.of(4), 4 * 256);
    // An image in two masks' roles holds several channels.
    scene.materials[0] = parseMaterial(
        {{"pbrMetallicRoughness", {{"metallicRoughnessTexture", {{"index", packed}}}}},
         {"occlusionTexture", {{"index", packed}}}});
    EXPECT_EQ(textureClasses(scene)[3], TextureClass::PackedMasks);
}

TEST(TextureMemory, TargetsTellTheStorageOfEachClass) {
    Target target = *findTarget("Kiosk 60");
    EXPECT_EQ(target.bytesPerTexel(TextureClass::Mask), 0.5);
    EXPECT_EQ(target.storage[0].format, "bc7");
    target.storage[2] = {"rg8", 2};
    const Target again = parseTarget(toJson(target), "again").value();
    EXPECT_EQ(again.storage, target.storage);
    EXPECT_FALSE(toJson(target)["drawing"].contains("bytesPerTexel"));
    Json old = {{"format", "flentro-target"},
                {"version", 2},
                {"name", "old"},
                {"drawing", {{"bytesPerTexel", 0.5}}},
                {"limits", Json::object()}};
    const Target read = parseTarget(old, "old").value();
    for (const TextureStorage& storage : read.storage) EXPECT_EQ(storage.bytesPerTexel, 0.5);
    old["drawing"]["textureStorage"]["normal"]["bytesPerTexel"] = -1;
    EXPECT_FALSE(parseTarget(old, "old"));
}

}  // namespace
}  // namespace flentro
