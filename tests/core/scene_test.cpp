// Images, repair and the scene as a value.

#include "scene/scene.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "io/image.h"
#include "io/repair.h"
#include "support/meshes.h"

namespace flentro {
namespace {

std::vector<std::byte> bytesOf(std::initializer_list<int> values) {
    std::vector<std::byte> bytes;
    for (const int value : values) bytes.push_back(static_cast<std::byte>(value));
    return bytes;
}

Image pngOf(int width, int height, int channels) {
    std::vector<std::uint8_t> pixels(static_cast<std::size_t>(width * height * channels));
    for (std::size_t i = 0; i < pixels.size(); ++i) pixels[i] = static_cast<std::uint8_t>(i * 7);
    Image image;
    image.name = "made";
    image.width = width;
    image.height = height;
    image.data = std::make_shared<const std::vector<std::byte>>(
        encodePng(pixels.data(), width, height, channels));
    return image;
}

StreamPtr floats(int components, const std::vector<float>& values) {
    Stream stream;
    stream.components = components;
    stream.data.resize(values.size() * sizeof(float));
    std::memcpy(stream.data.data(), values.data(), stream.data.size());
    return std::make_shared<const Stream>(std::move(stream));
}

// --- images -------------------------------------------------------------------------------

TEST(Image, ProbeTellsSizeChannelsAndType) {
    for (const int channels : {1, 3, 4}) {
        const auto info = probeImage(*pngOf(6, 4, channels).data);
        ASSERT_TRUE(info);
        EXPECT_EQ(info->width, 6);
        EXPECT_EQ(info->height, 4);
        EXPECT_EQ(info->channels, channels);
        EXPECT_STREQ(info->mime, "image/png");
    }
}

TEST(Image, ProbeReadsHeadersOfFormatsThatItDoesNotDecode) {
    std::vector<std::byte> ktx = bytesOf({0xAB, 'K', 'T', 'X', ' ', '2', '0', 0xBB});
    ktx.resize(48);
    ktx[20] = static_cast<std::byte>(64);
    ktx[24] = static_cast<std::byte>(32);
    const auto compressed = probeImage(ktx);
    ASSERT_TRUE(compressed);
    EXPECT_EQ(compressed->width, 64);
    EXPECT_EQ(compressed->height, 32);
    std::vector<std::byte> webp =
        bytesOf({'R', 'I', 'F', 'F', 0, 0, 0, 0, 'W', 'E', 'B', 'P', 'V', 'P', '8',
                 'X', 0,   0,   0,   0, 0, 0, 0, 0,   99,  0,   0,   49,  0,   0});
    webp.resize(40);
    EXPECT_EQ(probeImage(webp)->width, 100);
    EXPECT_EQ(probeImage(webp)->height, 50);
}

TEST(Image, ProbeRefusesEverythingElse) {
    EXPECT_FALSE(probeImage({}));
    EXPECT_FALSE(probeImage(bytesOf({'B', 'M', 0, 0})));
    EXPECT_FALSE(probeImage(bytesOf({0x89, 'P', 'N', 'G'})));
}

TEST(Image, DecodingHalvesUntilItFits) {
    const Image image = pngOf(64, 16, 3);
    EXPECT_EQ(decodeImage(image, 64)->width, 64);
    const auto small = decodeImage(image, 20);
    ASSERT_TRUE(small);
    EXPECT_EQ(small->width, 16);
    EXPECT_EQ(small->height, 4);
    EXPECT_EQ(small->rgba.size(), 16U * 4 * 4);
}

TEST(Image, DecodingAMissingOrCutPictureIsAnError) {
    Image image = pngOf(8, 8, 3);
    std::vector<std::byte> cut(image.data->begin(), image.data->begin() + 40);
    image.data = std::make_shared<const std::vector<std::byte>>(cut);
    EXPECT_EQ(decodeImage(image, 64).error().code, ErrorCode::InvalidInput);
    image.data = nullptr;
    EXPECT_EQ(decodeImage(image, 64).error().code, ErrorCode::NotFound);
    EXPECT_EQ(decodeImage(image, 64).error().where, "made");
}

// --- repair -------------------------------------------------------------------------------

TEST(Repair, SoundStreamsAreNotCopied) {
    const StreamPtr stream = floats(3, {0, 1, 0, 1, 0, 0});
    for (const char* semantic : {"POSITION", "NORMAL", "TEXCOORD_0"}) {
        const SoundStream sound = makeSound(stream, semantic);
        EXPECT_EQ(sound.stream, stream) << semantic;
        EXPECT_EQ(sound.repaired, 0U);
    }
}

TEST(Repair, TangentsGetUnitLengthAndAHandedness) {
    const SoundStream sound = makeSound(floats(4, {2, 0, 0, -0.5F, 0, 1, 0, 1}), "TANGENT");
    EXPECT_EQ(sound.repaired, 1U);
    EXPECT_FLOAT_EQ(sound.stream->value(0, 0), 1);
    EXPECT_FLOAT_EQ(sound.stream->value(0, 3), -1);
}

TEST(Repair, WeightsAddUpToOne) {
    const SoundStream sound =
        makeSound(floats(4, {2, 2, 0, 0, 0, 0, 0, 0, std::nanf(""), 1, 0, 0}), "WEIGHTS_0");
    EXPECT_EQ(sound.repaired, 3U);
    EXPECT_FLOAT_EQ(sound.stream->value(0, 0), 0.5F);
    EXPECT_FLOAT_EQ(sound.stream->value(1, 0), 1);
    EXPECT_FLOAT_EQ(sound.stream->value(2, 0), 0) << "no number is no weight";
    EXPECT_FLOAT_EQ(sound.stream->value(2, 1), 1);
}

TEST(Repair, ShortLastTriangleIsDropped) {
    Part part = test::makePart({{0, 0, 0}, {1, 0, 0}, {0, 1, 0}}, {0, 1, 2, 0, 1});
    EXPECT_EQ(dropUnusable(part, {}), 1U);
    EXPECT_EQ(part.indices.size(), 3U);
}

// --- scene --------------------------------------------------------------------------------

TEST(Scene, WorldTransformsMultiplyDownTheTree) {
    std::vector<Node> nodes(3);
    nodes[0].children = {1};
    nodes[1].parent = 0;
    nodes[1].children = {2};
    nodes[2].parent = 1;
    nodes[0].local(0, 3) = 10;
    nodes[1].local.topLeftCorner<3, 3>() *= 2;
    nodes[2].local(0, 3) = 1;
    const auto worlds = worldTransforms(nodes);
    EXPECT_DOUBLE_EQ(worlds[2](0, 3), 12);
    EXPECT_DOUBLE_EQ(maxScale(worlds[2]), 2);
}

TEST(Scene, FlatteningAgainKeepsCullingDistances) {
    Scene scene =
        test::makeScene({{test::makeGrid(1, 1), {0, 0, 0}}, {test::makeFin(), {3, 0, 0}}});
    scene.objects[1].culling = {8, 9};
    flatten(scene);
    EXPECT_DOUBLE_EQ(scene.objects[1].culling.end, 9);
    EXPECT_TRUE(std::isinf(scene.objects[0].culling.end));
}

TEST(Scene, CopiesShareTheirMeshes) {
    const Scene scene = test::makeScene({{test::makeGrid(4, 4), {0, 0, 0}}});
    Scene copy = scene;
    EXPECT_EQ(copy.assets[0].mesh, scene.assets[0].mesh);
    copy.objects[0].culling.end = 5;
    EXPECT_TRUE(std::isinf(scene.objects[0].culling.end)) << "a value, not a reference";
}

TEST(Scene, HashKnowsEverythingThatAFixDependsOn) {
    const Scene scene = test::makeScene({{test::makeGrid(2, 2), {0, 0, 0}}});
    const Hash hash = hashScene(scene);
    EXPECT_EQ(hashScene(Scene(scene)), hash);
    Scene moved = scene;
    moved.objects[0].world(0, 3) += 1;
    EXPECT_NE(hashScene(moved), hash);
    Scene culled = scene;
    culled.objects[0].culling.end = 5;
    EXPECT_NE(hashScene(culled), hash);
    Scene laddered = scene;
    laddered.assets[0].ladder.levels.push_back({scene.assets[0].mesh, 0, 4});
    EXPECT_NE(hashScene(laddered), hash);
    Scene named = scene;
    named.notes.push_back({"x", "a note changes nothing"});
    EXPECT_EQ(hashScene(named), hash);
}

TEST(Scene, ShadowsAreByExtras) {
    Scene scene = test::makeScene({{test::makeGrid(1, 1), {0, 0, 0}}});
    EXPECT_TRUE(scene.objects[0].castsShadow) << "objects do unless told";
    scene.nodes[0].rest["extras"]["castsShadow"] = false;
    flatten(scene);
    EXPECT_FALSE(scene.objects[0].castsShadow);
}

TEST(Scene, DirectionalLightsReachEverywhere) {
    Scene scene;
    Light sun;
    sun.type = LightType::Directional;
    sun.range = 5;
    scene.lights.push_back(sun);
    scene.nodes.resize(1);
    scene.nodes[0].light = 0;
    flatten(scene);
    EXPECT_TRUE(std::isinf(scene.placedLights.at(0).range));
}

TEST(MipMaps, HalveToOnePixelAndKeepTheirMean) {
    Pixels pixels{8, 2, {}};
    for (int i = 0; i < 16; ++i)
        for (int c = 0; c < 4; ++c)
            pixels.rgba.push_back(static_cast<std::uint8_t>(i % 2 == 0 ? 100 : 140));
    const std::vector<Pixels> maps = mipMaps(pixels);
    ASSERT_EQ(maps.size(), 3U);
    EXPECT_EQ(maps[0].width, 4);
    EXPECT_EQ(maps[0].height, 1);
    EXPECT_EQ(maps[2].width, 1);
    EXPECT_EQ(maps[2].height, 1);
    EXPECT_NEAR(maps[2].rgba[0], 120, 3);
    EXPECT_TRUE(mipMaps({1, 1, {1, 2, 3, 4}}).empty());
}

}  // namespace
}  // namespace flentro
