// EXT_meshopt_compression: streams written by hand, byte by byte, from the extension's text.

#include "io/meshopt.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstring>

#include "io/gltf.h"
#include "support/gltf_builder.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::ElementsAre;
using testing::HasSubstr;

Bytes bytesOf(std::initializer_list<int> values) {
    Bytes bytes;
    for (const int value : values) bytes.push_back(static_cast<std::byte>(value));
    return bytes;
}

template <typename T>
std::vector<T> decode(const Bytes& data, const MeshoptView& view) {
    const auto decoded = decodeMeshopt(data, view);
    EXPECT_TRUE(decoded) << describe(decoded.error());
    if (!decoded) return {};
    std::vector<T> values(decoded->size() / sizeof(T));
    std::memcpy(values.data(), decoded->data(), decoded->size());
    return values;
}

/// Attributes of four bytes: per byte of the element one group whose deltas are `width` 0 (none)
/// or 3 (stored whole), then the tail with the first element.
class Attributes {
public:
    explicit Attributes(const std::vector<std::array<int, 4>>& elements) : elements_(elements) {}

    Bytes whole() const {
        Bytes data = bytesOf({0xA0});
        for (std::size_t k = 0; k < 4; ++k) {
            data.push_back(std::byte{3});
            for (std::size_t i = 0; i < 16; ++i) data.push_back(folded(i, k));
        }
        return withTail(data);
    }
    /// Two bits where they do; the value 3 says that a byte follows.
    Bytes packed() const {
        Bytes data = bytesOf({0xA0});
        for (std::size_t k = 0; k < 4; ++k) {
            data.push_back(std::byte{1});
            Bytes more;
            for (std::size_t i = 0; i < 16; i += 4) {
                int byte = 0;
                for (std::size_t j = 0; j < 4; ++j) {
                    const int delta = std::to_integer<int>(folded(i + j, k));
                    byte = byte << 2 | std::min(delta, 3);
                    if (delta >= 3) more.push_back(static_cast<std::byte>(delta));
                }
                data.push_back(static_cast<std::byte>(byte));
            }
            data.insert(data.end(), more.begin(), more.end());
        }
        return withTail(data);
    }

private:
    /// Difference from the element before, folded so that small ones of either sign are small.
    std::byte folded(std::size_t i, std::size_t k) const {
        if (i == 0 || i >= elements_.size()) return std::byte{0};
        const int delta = static_cast<std::int8_t>(elements_[i][k] - elements_[i - 1][k]);
        return static_cast<std::byte>(delta >= 0 ? delta * 2 : -delta * 2 - 1);
    }
    Bytes withTail(Bytes data) const {
        data.resize(data.size() + 28);
        for (const int value : elements_.front()) data.push_back(static_cast<std::byte>(value));
        return data;
    }
    std::vector<std::array<int, 4>> elements_;
};

constexpr MeshoptView kThree{MeshoptMode::Attributes, MeshoptFilter::None, 3, 4};

const std::vector<std::array<int, 4>> kElements = {{1, 2, 3, 255}, {2, 2, 1, 0}, {200, 3, 0, 128}};

TEST(Meshopt, AttributesOfEveryWidth) {
    const auto expected = ElementsAre(1, 2, 3, 255, 2, 2, 1, 0, 200, 3, 0, 128);
    EXPECT_THAT(decode<std::uint8_t>(Attributes(kElements).whole(), kThree), expected);
    EXPECT_THAT(decode<std::uint8_t>(Attributes(kElements).packed(), kThree), expected);
}

TEST(Meshopt, FourBitsAndGroupsOfZeros) {
    // First byte: 4-bit deltas +1 (2), escape 15 then 40 (+20), zeros; the others: no deltas.
    Bytes data = bytesOf({0xA0, 2, 0x02, 0xF0, 0, 0, 0, 0, 0, 0, 40, 0, 0, 0});
    data.resize(data.size() + 28);
    for (const int value : {10, 20, 30, 40}) data.push_back(static_cast<std::byte>(value));
    EXPECT_THAT(decode<std::uint8_t>(data, kThree),
                ElementsAre(10, 20, 30, 40, 11, 20, 30, 40, 31, 20, 30, 40));
}

TEST(Meshopt, TrianglesOnEdgesAndAlone) {
    // 0xF0 with corners 0,0: three new vertices. 0x00: on the last edge, a new vertex.
    Bytes data = bytesOf({0xE1, 0xF0, 0x00});
    data.resize(data.size() + 16);
    EXPECT_THAT(decode<std::uint16_t>(data, {MeshoptMode::Triangles, MeshoptFilter::None, 6, 2}),
                ElementsAre(0, 1, 2, 0, 2, 3));
}

TEST(Meshopt, TrianglesOfToldVertices) {
    // 0xFF, then 0xFF: three corners told by difference: +7 (14), -2 (3), +1 (2).
    Bytes data = bytesOf({0xE1, 0xFF, 0xFF, 14, 3, 2});
    data.resize(data.size() + 16);
    EXPECT_THAT(decode<std::uint32_t>(data, {MeshoptMode::Triangles, MeshoptFilter::None, 3, 4}),
                ElementsAre(7, 5, 6));
}

TEST(Meshopt, IndicesFromTwoBases) {
    // Codes: difference folded, times two, plus which base. 5 (+5: 10 -> 20), base 1: +100
    // (200 -> 401 = 0x91 0x03), base 0: -2 (3 -> 6).
    const Bytes data = bytesOf({0xD1, 20, 0x91, 0x03, 6, 0, 0, 0, 0});
    EXPECT_THAT(decode<std::uint16_t>(data, {MeshoptMode::Indices, MeshoptFilter::None, 3, 2}),
                ElementsAre(5, 100, 3));
}

TEST(Meshopt, Filters) {
    // One element in the tail alone: it is its own baseline, all deltas are nothing.
    const auto one = [](const Bytes& element) {
        Bytes data = bytesOf({0xA0});
        data.resize(1 + element.size());
        data.resize(data.size() + 32 - element.size());
        data.insert(data.end(), element.begin(), element.end());
        return data;
    };
    EXPECT_THAT(decode<std::int8_t>(one(bytesOf({0, 127, 127, 9})),
                                    {MeshoptMode::Attributes, MeshoptFilter::Octahedral, 1, 4}),
                ElementsAre(0, 127, 0, 9));
    EXPECT_THAT(decode<std::int8_t>(one(bytesOf({127, 127, 127, 0})),
                                    {MeshoptMode::Attributes, MeshoptFilter::Octahedral, 1, 4}),
                ElementsAre(0, 0, -127, 0))
        << "the far corner of the octahedron is straight down";
    // Exponent -1 over 3: 1.5.
    EXPECT_THAT(decode<float>(one(bytesOf({3, 0, 0, 0xFF})),
                              {MeshoptMode::Attributes, MeshoptFilter::Exponential, 1, 4}),
                ElementsAre(1.5F));
    // No component but the one left out (3: w): the quaternion that does not turn.
    EXPECT_THAT(decode<std::int16_t>(one(bytesOf({0, 0, 0, 0, 0, 0, 0xFF, 0x7F})),
                                     {MeshoptMode::Attributes, MeshoptFilter::Quaternion, 1, 8}),
                ElementsAre(0, 0, 0, 32767));
}

TEST(Meshopt, WhateverIsCutOffOrLeftOverIsRefused) {
    const Bytes sound = Attributes(kElements).packed();
    for (std::size_t length = 0; length < sound.size(); ++length)
        EXPECT_FALSE(decodeMeshopt(std::span(sound).first(length), kThree)) << length;
    Bytes more = sound;
    more.insert(more.begin() + 5, std::byte{0});
    EXPECT_FALSE(decodeMeshopt(more, kThree));
    EXPECT_FALSE(decodeMeshopt(sound, {MeshoptMode::Triangles, MeshoptFilter::None, 3, 4}));
    EXPECT_FALSE(decodeMeshopt(sound, {MeshoptMode::Attributes, MeshoptFilter::None, 3, 6}));
}

/// A triangle whose positions and indices are packed; the plain buffer is not even there.
std::string packedTriangle() {
    std::vector<float> corners = {0, 0, 0, 2, 0, 0, 0, 2, 0};
    Bytes positions = bytesOf({0xA0});
    std::vector<std::array<std::uint8_t, 12>> elements(3);
    std::memcpy(elements.data(), corners.data(), 36);
    for (std::size_t k = 0; k < 12; ++k) {
        positions.push_back(std::byte{3});
        for (std::size_t i = 0; i < 16; ++i) {
            const int delta =
                i == 0 || i > 2 ? 0 : static_cast<std::int8_t>(elements[i][k] - elements[i - 1][k]);
            positions.push_back(static_cast<std::byte>(delta >= 0 ? delta * 2 : -delta * 2 - 1));
        }
    }
    positions.resize(positions.size() + 32);
    const std::size_t packed = positions.size();
    while (positions.size() % 4 != 0) positions.push_back(std::byte{0});
    const std::size_t at = positions.size();
    for (const int value : {0xE1, 0xF0}) positions.push_back(static_cast<std::byte>(value));
    positions.resize(positions.size() + 16);
    Json document = {
        {"asset", {{"version", "2.0"}}},
        {"extensionsUsed", {"EXT_meshopt_compression"}},
        {"extensionsRequired", {"EXT_meshopt_compression"}},
        {"buffers",
         {{{"byteLength", positions.size()}, {"uri", "packed.bin"}},
          {{"byteLength", 42},
           {"extensions", {{"EXT_meshopt_compression", {{"fallback", true}}}}}}}},
        {"accessors",
         {{{"bufferView", 0}, {"componentType", 5126}, {"count", 3}, {"type", "VEC3"}},
          {{"bufferView", 1}, {"componentType", 5123}, {"count", 3}, {"type", "SCALAR"}}}},
        {"meshes", {{{"primitives", {{{"attributes", {{"POSITION", 0}}}, {"indices", 1}}}}}}},
        {"nodes", {{{"mesh", 0}}}},
        {"scenes", {{{"nodes", {0}}}}}};
    const auto view = [&](std::size_t offset, std::size_t length, Json more) {
        more["buffer"] = 0;
        more["byteOffset"] = offset;
        more["byteLength"] = length;
        return Json{{"buffer", 1},
                    {"byteLength", 36},
                    {"extensions", {{"EXT_meshopt_compression", std::move(more)}}}};
    };
    document["bufferViews"] = {
        view(0, packed, {{"mode", "ATTRIBUTES"}, {"count", 3}, {"byteStride", 12}}),
        view(at, 18, {{"mode", "TRIANGLES"}, {"count", 3}, {"byteStride", 2}})};
    return document.dump() + "\n" +
           std::string(reinterpret_cast<const char*>(positions.data()), positions.size());
}

TEST(Meshopt, SceneOpensAsIfItWereNotCompressed) {
    const test::TemporaryFolder folder;
    const std::string both = packedTriangle();
    const std::size_t end = both.find('\n');
    test::writeText(folder / "packed.gltf", both.substr(0, end));
    test::writeText(folder / "packed.bin", both.substr(end + 1));
    const auto scene = readGltf(folder / "packed.gltf", noProgress());
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->assets.at(0).mesh->triangles, 1U);
    EXPECT_TRUE(scene->bounds().max().isApprox(Vec3d(2, 2, 0)));
    ASSERT_TRUE(writeGltf(*scene, folder / "plain.glb", {}, noProgress()));
    const auto again = readGltf(folder / "plain.glb", noProgress());
    ASSERT_TRUE(again);
    EXPECT_EQ(again->rest.dump().find("meshopt"), std::string::npos);
    EXPECT_EQ(again->assets.at(0).mesh->hash, scene->assets.at(0).mesh->hash);

    test::writeText(folder / "packed.bin", both.substr(end + 1, 40) + std::string(1000, '\0'));
    const auto damaged = readGltf(folder / "packed.gltf", noProgress());
    ASSERT_FALSE(damaged);
    EXPECT_THAT(describe(damaged.error()), HasSubstr("buffer view 0"));
}

}  // namespace
}  // namespace flentro
