// Images, repair and the scene as a value.

#include "scene/scene.h"
#include "base/index.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <webp/encode.h>

#include <cmath>
#include <cstring>
#include <functional>
#include <map>

#include "io/image.h"
#include "io/repair.h"
#include "scene/edit.h"
#include "scene/shadow_lights.h"
#include "support/lights.h"
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
}

TEST(Image, WebPIsDecoded) {
    const std::vector<std::uint8_t> pixels = {255, 0, 0, 255, 0, 255, 0, 128};
    std::uint8_t* encoded = nullptr;
    const std::size_t size = WebPEncodeLosslessRGBA(pixels.data(), 2, 1, 8, &encoded);
    Image image;
    const auto* bytes = reinterpret_cast<const std::byte*>(encoded);
    image.data = std::make_shared<const std::vector<std::byte>>(bytes, bytes + size);
    WebPFree(encoded);
    const auto info = probeImage(*image.data);
    ASSERT_TRUE(info) << describe(info.error());
    EXPECT_EQ(info->width, 2);
    EXPECT_EQ(info->height, 1);
    EXPECT_EQ(info->channels, 4);
    EXPECT_STREQ(info->mime, "image/webp");
    const auto decoded = decodeImage(image, 16);
    ASSERT_TRUE(decoded);
    EXPECT_EQ(decoded->rgba, pixels);
    const auto whole = image.data;
    image.data = std::make_shared<const std::vector<std::byte>>(whole->begin(), whole->end() - 9);
    EXPECT_FALSE(decodeImage(image, 16)) << "cut off";
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
    EXPECT_TRUE(dropUnusable(part, {}).incomplete);
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

TEST(Scene, NodesThatAreAddedTellTheirPlaceOnce) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {1, 2, 3}}});
    Node copy = scene.nodes[0];
    copy.rest["translation"] = {1, 2, 3};
    copy.rest["scale"] = {1, 1, 1};
    copy.local = Mat4d::Identity();
    copy.local(0, 3) = 7;
    const Json& rest = elementOf(scene.nodes, addNode(scene, copy)).rest;
    EXPECT_FALSE(rest.contains("translation")) << "glTF allows a matrix or these, not both";
    EXPECT_FALSE(rest.contains("scale"));
    EXPECT_EQ(rest["matrix"][12], 7);
    copy.local = Mat4d::Identity();
    EXPECT_FALSE(elementOf(scene.nodes, addNode(scene, copy)).rest.contains("matrix"));
}

TEST(Scene, ShadowsAreSetWhereAnExportKeepsThem) {
    Scene scene = test::groundWith({}, {{{0, 2, 0}}});
    PlacedLight& lamp = scene.placedLights[0];
    const auto extras = [&]() -> const Json& {
        return elementOf(scene.nodes, lamp.node).rest["extras"];
    };
    setCastsShadow(scene, lamp, false);
    EXPECT_EQ(extras()["castsShadow"], false);
    setCastsShadow(scene, lamp, true);
    EXPECT_EQ(extras()["castsShadow"], true);
    elementOf(scene.nodes, lamp.node).rest["extras"] = "an artist's note";
    setCastsShadow(scene, lamp, false);
    EXPECT_EQ(extras(), "an artist's note") << "nothing has to be told";
    setCastsShadow(scene, lamp, true);
    EXPECT_EQ(extras()["castsShadow"], true);
}

TEST(Scene, ImagesOfTexturesThatHaveNone) {
    Scene scene;
    scene.textures = {{"with", 3, -1, {}, {}, -1}, {"without", -1, -1, {}, {}, -1}};
    EXPECT_EQ(scene.imageOf(0), 3);
    EXPECT_EQ(scene.imageOf(1), -1);
    EXPECT_EQ(scene.imageOf(-1), -1);
}

TEST(Scene, CopiesShareTheirMeshes) {
    const Scene scene = test::makeScene({{test::makeGrid(4, 4), {0, 0, 0}}});
    Scene copy = scene;
    EXPECT_EQ(copy.assets[0].mesh, scene.assets[0].mesh);
    copy.objects[0].culling.end = 5;
    EXPECT_TRUE(std::isinf(scene.objects[0].culling.end)) << "a value, not a reference";
}

/// A scene in which every list has something.
Scene fullScene() {
    Scene scene = test::makeScene({{test::makeGrid(2, 2), {0, 0, 0}}});
    scene.name = "full";
    scene.nodes.resize(3);
    scene.nodes[1].children = {2};
    scene.nodes[2].parent = 1;
    scene.nodes[2].instances = {Mat4d::Identity()};
    const auto stream = std::make_shared<const Stream>(makeStream(std::vector<Vec3f>{{1, 2, 3}}));
    scene.nodes[2].instanceStreams = {{"TRANSLATION", stream}};
    scene.nodes[2].instanceNames = {"copy"};
    scene.scenes = {{{"nodes", {0, 1}}}};
    scene.assets[0].ladder.levels.push_back({scene.assets[0].mesh, 0.1, 4, 1, 2});
    scene.assets[0].ladder.caps = {3};
    scene.assets[0].sources = {"grid"};
    scene.assets[0].ranges = {{0, 0, 0, 8}};
    scene.materials.resize(1);
    scene.materials[0].textures = {{"baseColorTexture", 0, 0}};
    scene.textures.resize(1);
    scene.samplers.resize(1);
    scene.images.resize(1);
    scene.lights.resize(1);
    scene.placedLights.resize(1);
    scene.cameras = {{{"type", "perspective"}}};
    scene.skins.resize(1);
    scene.skins[0].joints = {1};
    scene.animations.resize(1);
    scene.animations[0].samplers = {{0, 0, {}}};
    scene.animations[0].channels = Json::array();
    scene.streams = {stream};
    scene.files = {"a.glb"};
    scene.notes = {{"mesh 0", "repaired"}};
    return scene;
}

using Change = std::pair<const char*, std::function<void(Scene&)>>;
const Change kChanges[] = {
    {"Name", [](Scene& s) { s.name = "x"; }},
    {"NodeName", [](Scene& s) { s.nodes[1].name = "x"; }},
    {"NodeParent", [](Scene& s) { s.nodes[2].parent = 0; }},
    {"NodeChildren", [](Scene& s) { s.nodes[1].children = {}; }},
    {"NodeLocal", [](Scene& s) { s.nodes[1].local(0, 3) = 1; }},
    {"NodeSkin", [](Scene& s) { s.nodes[1].skin = 0; }},
    {"NodeCamera", [](Scene& s) { s.nodes[1].camera = 0; }},
    {"NodeLight", [](Scene& s) { s.nodes[1].light = 0; }},
    {"NodeExtras", [](Scene& s) { s.nodes[1].rest["extras"]["zone"] = "hall"; }},
    {"Instance", [](Scene& s) { s.nodes[2].instances[0](1, 3) = 1; }},
    {"InstanceName", [](Scene& s) { s.nodes[2].instanceNames[0] = "x"; }},
    {"InstanceStream",
     [](Scene& s) {
         s.nodes[2].instanceStreams[0].stream =
             std::make_shared<const Stream>(makeStream(std::vector<Vec3f>{{1, 2, 4}}));
     }},
    {"SceneRoots", [](Scene& s) { s.scenes[0]["nodes"] = {0}; }},
    {"DefaultScene", [](Scene& s) { s.defaultScene = 1; }},
    {"ObjectName", [](Scene& s) { s.objects[0].name = "x"; }},
    {"ObjectNode", [](Scene& s) { s.objects[0].node = 1; }},
    {"ObjectWorld", [](Scene& s) { s.objects[0].world(0, 3) = 1; }},
    {"ObjectBounds", [](Scene& s) { s.objects[0].bounds.extend(Vec3d(9, 9, 9)); }},
    {"ObjectShadow", [](Scene& s) { s.objects[0].castsShadow = false; }},
    {"ObjectOrigins",
     [](Scene& s) {
         s.objects[0].origins = {0, 1};
     }},
    {"ObjectStandIn", [](Scene& s) { s.objects[0].standIn = 0; }},
    {"CullingFade", [](Scene& s) { s.objects[0].culling.fadeStart = 5; }},
    {"CullingEnd", [](Scene& s) { s.objects[0].culling.end = 5; }},
    {"CullingShadow", [](Scene& s) { s.objects[0].culling.shadowEnd = 5; }},
    {"CullingStart", [](Scene& s) { s.objects[0].culling.start = 5; }},
    {"Mesh", [](Scene& s) { s.assets[0].mesh = finishMesh(test::makeGrid(3, 3)); }},
    {"Importance", [](Scene& s) { s.assets[0].importance = Importance::Hero; }},
    {"Sources", [](Scene& s) { s.assets[0].sources = {}; }},
    {"Ranges", [](Scene& s) { s.assets[0].ranges[0].first = 1; }},
    {"LevelDistance", [](Scene& s) { s.assets[0].ladder.levels[0].switchDistance = 5; }},
    {"LevelSlide", [](Scene& s) { s.assets[0].ladder.levels[0].textureSlide = 5; }},
    {"Caps", [](Scene& s) { s.assets[0].ladder.caps = {4}; }},
    {"Crowd", [](Scene& s) { s.assets[0].ladder.crowd = "x"; }},
    {"MaterialSource", [](Scene& s) { s.materials[0].source["doubleSided"] = true; }},
    {"MaterialName", [](Scene& s) { s.materials[0].name = "x"; }},
    {"MaterialColour", [](Scene& s) { s.materials[0].baseColor[0] = 0.5F; }},
    {"MaterialTexture", [](Scene& s) { s.materials[0].textures[0].texCoord = 1; }},
    {"TextureImage", [](Scene& s) { s.textures[0].image = 0; }},
    {"TextureFormat", [](Scene& s) { s.textures[0].formatImage = 0; }},
    {"TextureName", [](Scene& s) { s.textures[0].name = "x"; }},
    {"Sampler", [](Scene& s) { s.samplers[0].rest["wrapS"] = 33071; }},
    {"ImageData",
     [](Scene& s) {
         s.images[0].hash = {1, 2};
     }},
    {"ImagePath", [](Scene& s) { s.images[0].uri = "x.png"; }},
    {"LightColour", [](Scene& s) { s.lights[0].color[0] = 0.5F; }},
    {"LightIntensity", [](Scene& s) { s.lights[0].intensity = 9; }},
    {"LightType", [](Scene& s) { s.lights[0].type = LightType::Spot; }},
    {"LightRange", [](Scene& s) { s.lights[0].range = 9; }},
    {"LightPosition", [](Scene& s) { s.placedLights[0].position[0] = 9; }},
    {"LightFade", [](Scene& s) { s.placedLights[0].fadeStart = 9; }},
    {"ShadowLightsAtOnce", [](Scene& s) { s.shadowLightsAtOnce = 3; }},
    {"Camera", [](Scene& s) { s.cameras[0]["type"] = "orthographic"; }},
    {"SkinJoints", [](Scene& s) { s.skins[0].joints = {2}; }},
    {"SkinMatrices", [](Scene& s) { s.skins[0].inverseBind = s.streams[0]; }},
    {"AnimationName", [](Scene& s) { s.animations[0].name = "x"; }},
    {"AnimationChannels", [](Scene& s) { s.animations[0].channels.push_back(Json::object()); }},
    {"AnimationSampler", [](Scene& s) { s.animations[0].samplers[0].rest["x"] = 1; }},
    {"AnimationStream",
     [](Scene& s) {
         s.streams[0] = std::make_shared<const Stream>(makeStream(std::vector<Vec2f>{{1, 2}}));
     }},
    {"Rest", [](Scene& s) { s.rest["extras"]["x"] = 1; }},
    {"RestType", [](Scene& s) { s.rest["asset"] = "1"; }},
    {"Files", [](Scene& s) { s.files.push_back("b.bin"); }},
    {"OriginNames",
     [](Scene& s) { s.originNames = std::make_shared<const std::vector<std::string>>(1, "x"); }},
};

TEST(Scene, ChangingAnyOneThingChangesTheHash) {
    const Scene scene = fullScene();
    const Hash hash = hashScene(scene);
    EXPECT_EQ(hashScene(Scene(scene)), hash);
    std::map<Hash, const char*> known = {{hash, "the scene itself"}};
    for (const auto& [name, change] : kChanges) {
        Scene changed = scene;
        change(changed);
        const auto [at, isNew] = known.emplace(hashScene(changed), name);
        EXPECT_TRUE(isNew) << name << " is taken for " << at->second;
    }
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

TEST(HashScene, WholeNumbersAreTheSameSignedOrNot) {
    Scene a;
    Scene b;
    a.rest["count"] = 3;
    b.rest["count"] = 3U;
    EXPECT_EQ(hashScene(a), hashScene(b)) << "files give them back unsigned";
    b.rest["count"] = 3.5;
    EXPECT_NE(hashScene(a), hashScene(b));
}

}  // namespace
}  // namespace flentro
