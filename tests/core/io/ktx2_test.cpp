// KTX 2.0 files, the blocks in them, and textures stored beside an export.

#include "io/ktx2.h"
#include "base/index.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <zstd.h>

#include <cmath>
#include <cstring>

#include "picture/block_codec.h"
#include "report/export.h"
#include "support/pictures.h"
#include "support/process.h"
#include "support/surveys.h"

namespace flentro {
namespace {

using test::makePixels;

std::array<int, 4> smooth(int x, int y) {
    return {(x * 5) % 256, (y * 5) % 256, 128, 255};
}

std::uint32_t word(std::span<const std::byte> data, std::size_t at) {
    std::uint32_t value = 0;
    std::memcpy(&value, data.data() + at, 4);
    return value;
}
std::uint64_t longWord(std::span<const std::byte> data, std::size_t at) {
    std::uint64_t value = 0;
    std::memcpy(&value, data.data() + at, 8);
    return value;
}

/// 12 x 8 pixels and their mip maps.
std::vector<BlockLevel> levelsOf(BlockFormat format, TextureClass use) {
    std::vector<BlockLevel> levels;
    for (const auto& [w, h] : {std::pair(12, 8), std::pair(6, 4), std::pair(3, 2), std::pair(1, 1)})
        levels.push_back({w, h, encodeBlocks(makePixels(w, h, smooth), format, use).value()});
    return levels;
}

TEST(Ktx2, HeaderIndexAndLevelsAreAsTheSpecificationSays) {
    const auto levels = levelsOf(BlockFormat::Bc1, TextureClass::Color);
    const Bytes file = writeKtx2(BlockFormat::Bc1, true, levels);
    const char identifier[] = "\xABKTX 20\xBB\r\n\x1A\n";
    ASSERT_EQ(std::memcmp(file.data(), identifier, 12), 0);
    EXPECT_EQ(word(file, 12), 132U) << "VK_FORMAT_BC1_RGB_SRGB_BLOCK";
    EXPECT_EQ(word(file, 16), 1U);
    EXPECT_EQ(word(file, 20), 12U);
    EXPECT_EQ(word(file, 24), 8U);
    EXPECT_EQ(word(file, 36), 1U) << "one face";
    EXPECT_EQ(word(file, 40), 4U);
    EXPECT_EQ(word(file, 44), 2U) << "Zstandard";
    const std::size_t descriptor = word(file, 48);
    EXPECT_EQ(descriptor, 80 + 4 * 24U);
    EXPECT_EQ(word(file, 52), 4 + 24 + 16U);
    EXPECT_EQ(word(file, descriptor), word(file, 52));
    EXPECT_EQ(std::to_integer<int>(file[descriptor + 12]), 128) << "model: BC1";
    EXPECT_EQ(std::to_integer<int>(file[descriptor + 14]), 2) << "sRGB";
    EXPECT_EQ(std::to_integer<int>(file[descriptor + 16]), 3) << "blocks of 4";
    std::uint64_t last = file.size();
    for (std::size_t l = 0; l < 4; ++l) {
        const std::size_t row = 80 + 24 * l;
        EXPECT_EQ(longWord(file, row) + longWord(file, row + 8), last) << "largest at the end";
        last = longWord(file, row);
        EXPECT_EQ(longWord(file, row + 16), levels[l].blocks.size());
        Bytes unpacked(levels[l].blocks.size());
        ASSERT_EQ(ZSTD_decompress(unpacked.data(), unpacked.size(), file.data() + last,
                                  longWord(file, row + 8)),
                  unpacked.size());
        EXPECT_EQ(unpacked, levels[l].blocks);
    }
    const auto info = probeImage(file);
    ASSERT_TRUE(info);
    EXPECT_EQ(info->width, 12);
}

TEST(Ktx2, EveryFormatComesBack) {
    for (std::size_t f = 0; f < kBlockFormatCount; ++f) {
        const auto format = static_cast<BlockFormat>(f);
        const auto levels = levelsOf(format, TextureClass::Data);
        const auto again = readKtx2(writeKtx2(format, false, levels));
        ASSERT_TRUE(again) << infoOf(format).key;
        EXPECT_EQ(again->format, format);
        EXPECT_FALSE(again->isColor);
        ASSERT_EQ(again->levels.size(), 4U);
        for (std::size_t l = 0; l < 4; ++l) EXPECT_EQ(again->levels[l].blocks, levels[l].blocks);
    }
}

TEST(Ktx2, DamagedFilesAreRefused) {
    const Bytes file =
        writeKtx2(BlockFormat::Bc4, false, levelsOf(BlockFormat::Bc4, TextureClass::Mask));
    EXPECT_FALSE(readKtx2({}));
    for (std::size_t size = 0; size < file.size(); size += 7)
        EXPECT_FALSE(readKtx2(std::span(file).first(size))) << size;
    for (std::size_t at = 12; at < 80 + 4 * 24; ++at) {
        Bytes broken = file;
        broken[at] ^= std::byte{0x81};
        (void)readKtx2(broken);  // refused or not: it must come back
    }
    Bytes broken = file;
    broken[80 + 16] = std::byte{1};
    EXPECT_FALSE(readKtx2(broken)) << "a level of another size";
}

TEST(Blocks, KeepWhatTheyAreFor) {
    const Pixels colour = makePixels(32, 32, smooth);
    const auto loss = [&](const Pixels& pixels, BlockFormat format, TextureClass use) {
        const auto blocks = encodeBlocks(pixels, format, use).value();
        return lossOf(pixels,
                      decodeBlocks(blocks, pixels.width, pixels.height, format, use).value(), use);
    };
    EXPECT_GT(loss(colour, BlockFormat::Bc1, TextureClass::Color).decibels, 30);
    EXPECT_GT(loss(colour, BlockFormat::Bc3, TextureClass::ColorWithAlpha).decibels, 30);
    EXPECT_GT(loss(colour, BlockFormat::Bc4, TextureClass::Mask).decibels, 40);
    EXPECT_GT(loss(colour, BlockFormat::Astc4x4, TextureClass::Color).decibels,
              loss(colour, BlockFormat::Astc8x8, TextureClass::Color).decibels);
    const auto normals = [](int x, int y) -> std::array<int, 4> {
        const Vec3d n = Vec3d(std::sin(x * 0.2) * 0.4, std::cos(y * 0.2) * 0.4, 1).normalized();
        const auto byte = [](double v) { return static_cast<int>(std::lround((v + 1) * 127.5)); };
        return {byte(n.x()), byte(n.y()), byte(n.z()), 255};
    };
    const StorageLoss bent =
        loss(makePixels(32, 32, normals), BlockFormat::Bc5, TextureClass::Normal);
    EXPECT_LT(bent.degrees, 1.5);
    EXPECT_GT(bent.degrees, 0);
    // One colour is kept by BC1 as far as 5, 6 and 5 bits go.
    const Pixels plain = makePixels(6, 6, test::plain({0, 255, 0, 255}));
    EXPECT_TRUE(std::isinf(loss(plain, BlockFormat::Bc1, TextureClass::Color).decibels));
}

TEST(StoredTextures, AreTheSmallestThatKeepTheLossAndAreInTheManifest) {
    const test::TemporaryFolder folder;
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    const auto hard = [](int x, int y) -> std::array<int, 4> {
        return {(x * 97 + y * 57) % 256, (x * 31 + y * 211) % 256, (x * y * 13) % 256, 255};
    };
    const int easy = test::addPicture(scene, test::makePicture(32, 32, smooth, 3));
    const int noisy = test::addPicture(scene, test::makePicture(32, 32, hard, 3));
    scene.images[1].name = "a/b \"noisy\"";
    Mesh mesh = *scene.assets[0].mesh;
    mesh.parts.push_back(mesh.parts[0]);
    for (const int texture : {easy, noisy})
        elementOf(mesh.parts, texture).material = test::addMaterial(
            scene, {{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", texture}}}}}});
    scene.assets[0].mesh = finishMesh(mesh);
    Target target;
    for (TextureStorage& storage : target.storage) storage.format = "astc-6x6";
    ExportOptions options;
    options.ktx2 = true;
    options.storage.minDecibels = 38;
    const auto exported = exportScene(scene, target, folder / "box.glb", options, noProgress());
    ASSERT_TRUE(exported);
    ASSERT_EQ(exported->textures.size(), 2U);
    const StoredTexture& first = exported->textures[0];
    EXPECT_TRUE(first.isWithin);
    EXPECT_GE(first.decibels, 38);
    EXPECT_EQ(exported->textures[1].format, "astc-4x4") << "none is good enough: the best";
    EXPECT_FALSE(exported->textures[1].isWithin);
    EXPECT_EQ(exported->textures[1].file, "box.textures/a_b__noisy_.ktx2");
    for (const StoredTexture& texture : exported->textures) {
        const auto file = readKtx2(readFile(folder / texture.file).value());
        ASSERT_TRUE(file);
        EXPECT_TRUE(file->isColor);
        EXPECT_EQ(file->levels.size(), 6U) << "32 to 1";
        EXPECT_EQ(file->levels[0].width, 32);
    }
    const Json manifest = Json::parse(test::readText(folder / "box.manifest.json"));
    ASSERT_EQ(manifest["textures"].size(), 2U);
    EXPECT_EQ(manifest["textures"][1]["image"], "a/b \"noisy\"");
    EXPECT_EQ(manifest["textures"][1]["withinLoss"], false);
}

/// What formats a box with two images of one role is stored in.
std::set<std::string> formatsOf(const char* role, const test::PixelOf& pixel, int channels,
                                const char* family) {
    const test::TemporaryFolder folder;
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, -5}}});
    const Json use = {
        {"index", test::addPicture(scene, test::makePicture(16, 16, pixel, channels))}};
    Json source = Json::object();
    if (std::string(role) == "baseColorTexture" || std::string(role) == "metallicRoughnessTexture")
        source["pbrMetallicRoughness"][role] = use;
    else
        source[role] = use;
    if (channels == 4) source["alphaMode"] = "BLEND";
    test::setMaterial(scene, 0, test::addMaterial(scene, source));
    Target target;
    for (TextureStorage& storage : target.storage) storage.format = family;
    ExportOptions options;
    options.ktx2 = true;
    options.storage.minDecibels = 20;
    const auto exported = exportScene(scene, target, folder / "box.glb", options, noProgress());
    std::set<std::string> formats;
    if (exported)
        for (const StoredTexture& texture : exported->textures) {
            formats.insert(texture.use + " " + texture.format);
            EXPECT_EQ(texture.levels, 5U) << "16 to 1";
        }
    return formats;
}

TEST(StoredTextures, EachClassGoesIntoTheBlocksThatHoldIt) {
    using testing::ElementsAre;
    const auto rising = [](int x, int y) { return std::array{x * 16, y * 16, 128, 255 - x * 8}; };
    const auto bump = [](int x, int) { return std::array{120 + x, 128, 250, 255}; };
    const auto grey = [](int x, int) { return std::array{x * 16, x * 16, x * 16, 255}; };
    EXPECT_THAT(formatsOf("baseColorTexture", rising, 3, "bc7"), ElementsAre("color bc1"));
    EXPECT_THAT(formatsOf("baseColorTexture", rising, 4, "bc7"), ElementsAre("colorWithAlpha bc3"));
    EXPECT_THAT(formatsOf("normalTexture", bump, 3, "bc5"), ElementsAre("normal bc5"));
    EXPECT_THAT(formatsOf("occlusionTexture", grey, 3, "bc4"), ElementsAre("mask bc4"));
    EXPECT_THAT(formatsOf("metallicRoughnessTexture", rising, 3, "bc7"),
                ElementsAre("packedMasks bc1"));
    EXPECT_THAT(formatsOf("normalTexture", bump, 3, "astc-8x8"),
                ElementsAre(testing::StartsWith("normal astc-")));
}

}  // namespace
}  // namespace flentro
