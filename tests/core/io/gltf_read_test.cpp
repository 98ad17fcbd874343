// Reading sound glTF: every way in which data can be stored.

#include <draco/compression/encode.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cstring>

#include "io/gltf.h"
#include "io/image.h"
#include "support/gltf_builder.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::GltfBuilder;
using testing::HasSubstr;
using testing::SizeIs;

class GltfRead : public testing::Test {
protected:
    Scene read(const std::string& name = "scene.glb") {
        auto scene = readGltf(builder_.write(folder_.path(), name), noProgress());
        EXPECT_TRUE(scene) << describe(scene.error());
        return scene ? std::move(*scene) : Scene{};
    }
    [[nodiscard]] Json& primitive() { return builder_.document["meshes"][0]["primitives"][0]; }

    test::TemporaryFolder folder_;
    GltfBuilder builder_;
};

TEST_F(GltfRead, TriangleFromBinaryAndEmbeddedFiles) {
    builder_.addTriangle();
    builder_.addNode({{"name", "thing"}, {"mesh", 0}, {"translation", {0, 2, 0}}});
    for (const char* name : {"scene.glb", "scene.gltf"}) {
        const Scene scene = read(name);
        ASSERT_THAT(scene.objects, SizeIs(1)) << name;
        EXPECT_EQ(scene.objects[0].name, "thing");
        EXPECT_EQ(describe(*scene.assets[0].mesh), "3v 1t");
        EXPECT_DOUBLE_EQ(scene.objects[0].bounds.min().y(), 2);
        EXPECT_THAT(scene.notes, SizeIs(0));
    }
}

TEST_F(GltfRead, ExternalBufferBesideTheFile) {
    builder_.addTriangle();
    builder_.addNode({{"mesh", 0}});
    builder_.document["buffers"] = {
        {{"byteLength", builder_.data.size()}, {"uri", "data%20one.bin"}}};
    ASSERT_TRUE(writeFileAtomic(folder_ / "data one.bin", builder_.data));
    test::writeText(folder_ / "scene.gltf", builder_.document.dump());
    const auto scene = readGltf(folder_ / "scene.gltf", noProgress());
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->assets[0].mesh->triangles, 1U);
}

TEST_F(GltfRead, MeshWithoutIndicesStripAndFan) {
    builder_.addTriangle();
    const int positions = builder_.addFloats({0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 2, 1, 0}, "VEC3");
    builder_.addNode({{"mesh", 0}});
    primitive() = {{"attributes", {{"POSITION", positions}}}, {"mode", 5}};
    EXPECT_EQ(read().assets[0].mesh->triangles, 3U) << "strip";
    EXPECT_EQ(read().assets[0].mesh->parts[0].indices,
              (std::vector<std::uint32_t>{0, 1, 2, 1, 3, 2, 2, 3, 4}));
    primitive()["mode"] = 6;
    EXPECT_EQ(read().assets[0].mesh->parts[0].indices,
              (std::vector<std::uint32_t>{0, 1, 2, 0, 2, 3, 0, 3, 4}));
    primitive()["mode"] = 1;
    EXPECT_EQ(read().assets[0].mesh->triangles, 0U) << "lines are no triangles";
}

TEST_F(GltfRead, InterleavedDataWithStride) {
    const std::vector<float> packed = {0, 0, 0, 9, 1, 0, 0, 9, 0, 1, 0, 9};
    builder_.addTriangle();
    const int view = builder_.addView(packed.data(), packed.size() * 4);
    builder_.document["bufferViews"][static_cast<std::size_t>(view)]["byteStride"] = 16;
    builder_.document["accessors"][0]["bufferView"] = view;
    builder_.addNode({{"mesh", 0}});
    EXPECT_TRUE(read().assets[0].mesh->bounds.max().isApprox(Vec3d(1, 1, 0)));
}

TEST_F(GltfRead, SparseValuesReplaceTheirElements) {
    builder_.addTriangle();
    const std::vector<std::uint16_t> where = {2};
    const std::vector<float> what = {0, 5, 0};
    builder_.document["accessors"][0]["sparse"] = {
        {"count", 1},
        {"indices", {{"bufferView", builder_.addView(where.data(), 2)}, {"componentType", 5123}}},
        {"values", {{"bufferView", builder_.addView(what.data(), 12)}}}};
    builder_.addNode({{"mesh", 0}});
    EXPECT_DOUBLE_EQ(read().assets[0].mesh->bounds.max().y(), 5);
}

TEST_F(GltfRead, QuantizedPositionsKeepTheirStorage) {
    builder_.addTriangle();
    builder_.document["extensionsRequired"] = {"KHR_mesh_quantization"};
    const std::vector<std::uint16_t> shorts = {0, 0, 0, 0, 65535, 0, 0, 0, 0, 32768, 0, 0};
    const int view = builder_.addView(shorts.data(), 24);
    builder_.document["bufferViews"][static_cast<std::size_t>(view)]["byteStride"] = 8;
    builder_.document["accessors"][0] = {{"bufferView", view},
                                         {"componentType", 5123},
                                         {"count", 3},
                                         {"type", "VEC3"},
                                         {"normalized", true}};
    builder_.addNode({{"mesh", 0}, {"scale", {2, 2, 2}}});
    const Scene scene = read();
    EXPECT_NEAR(scene.objects[0].bounds.max().x(), 2, 1e-6);
    EXPECT_EQ(scene.assets[0].mesh->parts[0].find("POSITION")->type, ComponentType::UInt16);
}

TEST_F(GltfRead, DracoCompressedGeometry) {
    draco::Mesh mesh;
    mesh.SetNumFaces(1);
    mesh.SetFace(draco::FaceIndex(0),
                 {{draco::PointIndex(0), draco::PointIndex(1), draco::PointIndex(2)}});
    mesh.set_num_points(3);
    draco::GeometryAttribute attribute;
    attribute.Init(draco::GeometryAttribute::POSITION, nullptr, 3, draco::DT_FLOAT32, false, 12, 0);
    const int id = mesh.AddAttribute(attribute, true, 3);
    const float points[3][3] = {{0, 0, 0}, {4, 0, 0}, {0, 3, 0}};
    for (std::uint32_t i = 0; i < 3; ++i)
        mesh.attribute(id)->SetAttributeValue(draco::AttributeValueIndex(i), points[i]);
    draco::Encoder encoder;
    draco::EncoderBuffer encoded;
    ASSERT_TRUE(encoder.EncodeMeshToBuffer(mesh, &encoded).ok());
    builder_.addTriangle();
    builder_.document["extensionsRequired"] = {"KHR_draco_mesh_compression"};
    const int view = builder_.addView(encoded.data(), encoded.size());
    builder_.document["accessors"][0].erase("bufferView");
    builder_.document["accessors"][1].erase("bufferView");
    primitive()["extensions"]["KHR_draco_mesh_compression"] = {
        {"bufferView", view}, {"attributes", {{"POSITION", mesh.attribute(id)->unique_id()}}}};
    builder_.addNode({{"mesh", 0}});
    const Scene scene = read();
    EXPECT_EQ(scene.assets[0].mesh->triangles, 1U);
    EXPECT_NEAR(scene.assets[0].mesh->bounds.max().x(), 4, 1e-3);
    EXPECT_NEAR(test::areaOf(*scene.assets[0].mesh), 6, 1e-2);
}

TEST_F(GltfRead, InstancesBecomeObjectsOfOneAsset) {
    builder_.addTriangle();
    builder_.document["extensionsRequired"] = {"EXT_mesh_gpu_instancing"};
    const int places = builder_.addFloats({0, 0, 0, 10, 0, 0, 20, 0, 0}, "VEC3");
    const int scales = builder_.addFloats({1, 1, 1, 2, 2, 2, 3, 3, 3}, "VEC3");
    builder_.addNode({{"name", "row"},
                      {"mesh", 0},
                      {"extensions",
                       {{"EXT_mesh_gpu_instancing",
                         {{"attributes", {{"TRANSLATION", places}, {"SCALE", scales}}}}}}}});
    const Scene scene = read();
    ASSERT_THAT(scene.objects, SizeIs(3));
    EXPECT_EQ(scene.objects[2].name, "row[2]");
    EXPECT_DOUBLE_EQ(scene.objects[2].bounds.min().x(), 20);
    EXPECT_DOUBLE_EQ(scene.objects[2].bounds.max().x(), 23);
    EXPECT_DOUBLE_EQ(scene.objects[1].scale, 2);
    EXPECT_THAT(scene.assets, SizeIs(1));
}

TEST_F(GltfRead, LightsWithShadowsFromExtras) {
    builder_.document["extensions"]["KHR_lights_punctual"]["lights"] = {
        {{"type", "point"}, {"range", 7.5}, {"intensity", 3}}};
    builder_.addNode({{"name", "lamp"},
                      {"translation", {1, 2, 3}},
                      {"extensions", {{"KHR_lights_punctual", {{"light", 0}}}}},
                      {"extras", {{"castsShadow", true}}}});
    const Scene scene = read();
    ASSERT_THAT(scene.placedLights, SizeIs(1));
    EXPECT_TRUE(scene.placedLights[0].castsShadow);
    EXPECT_DOUBLE_EQ(scene.placedLights[0].range, 7.5);
    EXPECT_TRUE(scene.placedLights[0].position.isApprox(Vec3d(1, 2, 3)));
}

TEST_F(GltfRead, MaterialsWithTexturesInExtensions) {
    const std::uint8_t pixel[4] = {10, 20, 30, 255};
    const Bytes png = encodePng(pixel, 1, 1, 4);
    builder_.addTriangle();
    builder_.document["images"] = {{{"bufferView", builder_.addView(png.data(), png.size())},
                                    {"mimeType", "image/png"},
                                    {"name", "dot"}}};
    builder_.document["textures"] = {{{"source", 0}}};
    builder_.document["materials"] = {
        {{"name", "coat"},
         {"alphaMode", "MASK"},
         {"alphaCutoff", 0.25},
         {"doubleSided", true},
         {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}, {"roughnessFactor", 0.5}}},
         {"extensions",
          {{"KHR_materials_clearcoat", {{"clearcoatTexture", {{"index", 0}}}}},
           {"KHR_materials_emissive_strength", {{"emissiveStrength", 4}}}}},
         {"emissiveFactor", {0.5, 0.25, 0}}}};
    primitive()["material"] = 0;
    primitive()["attributes"]["TEXCOORD_0"] = builder_.addFloats({0, 0, 1, 0, 0, 1}, "VEC2");
    builder_.addNode({{"mesh", 0}});
    const Scene scene = read();
    const Material& material = scene.materials.at(0);
    EXPECT_EQ(material.alphaMode, AlphaMode::Mask);
    EXPECT_FLOAT_EQ(material.alphaCutoff, 0.25F);
    EXPECT_TRUE(material.doubleSided);
    EXPECT_FLOAT_EQ(material.roughness, 0.5F);
    EXPECT_FLOAT_EQ(material.emissive.x(), 2);
    EXPECT_EQ(material.texture("baseColorTexture"), 0);
    EXPECT_EQ(material.texture("clearcoatTexture"), 0);
    EXPECT_EQ(scene.images[0].width, 1);
    EXPECT_EQ(decodeImage(scene.images[0], 64)->rgba[1], 20);
}

/// No viewer knows what to show there, and a validator calls it an error.
TEST_F(GltfRead, TexturesByCoordinatesThatAreNotThereUseThoseThatAre) {
    builder_.addTriangle();
    const auto png = encodePng(std::vector<std::uint8_t>{1, 2, 3}.data(), 1, 1, 3);
    builder_.document["images"] = {
        {{"bufferView", builder_.addView(png.data(), png.size())}, {"mimeType", "image/png"}}};
    builder_.document["textures"] = {{{"source", 0}}};
    builder_.document["materials"] = {
        {{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}, {"texCoord", 2}}}}}}};
    Json other = primitive();
    primitive()["material"] = 0;
    primitive()["attributes"]["TEXCOORD_0"] = builder_.addFloats({0, 0, 1, 0, 0, 1}, "VEC2");
    other["material"] = 0;
    builder_.document["meshes"][0]["primitives"].push_back(other);
    builder_.addNode({{"mesh", 0}});
    const Scene scene = read();
    const auto& parts = scene.assets.at(0).mesh->parts;
    ASSERT_EQ(parts.size(), 2U);
    ASSERT_EQ(scene.materials.size(), 2U) << "one with the texture, one without";
    const Material& textured = elementOf(scene.materials, parts[0].material);
    ASSERT_EQ(textured.textures.size(), 1U);
    EXPECT_EQ(textured.textures[0].texCoord, 0);
    EXPECT_TRUE(elementOf(scene.materials, parts[1].material).textures.empty());
    test::TemporaryFolder folder;
    ASSERT_TRUE(writeGltf(scene, folder / "out.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "out.glb"), "");
}

TEST_F(GltfRead, DeepChainOfEmptyNodes) {
    builder_.addTriangle();
    constexpr int kDepth = 20'000;
    for (int i = 0; i < kDepth; ++i)
        builder_.document["nodes"].push_back({{"children", {i + 1}}, {"translation", {0.5, 0, 0}}});
    builder_.document["nodes"].push_back({{"mesh", 0}});
    builder_.document["scenes"][0]["nodes"] = {0};
    const Scene scene = read();
    ASSERT_THAT(scene.objects, SizeIs(1));
    EXPECT_DOUBLE_EQ(scene.objects[0].bounds.min().x(), 0.5 * kDepth);
}

TEST_F(GltfRead, OnlyTheDefaultSceneIsShown) {
    builder_.addTriangle();
    builder_.addNode({{"name", "first"}, {"mesh", 0}});
    builder_.document["nodes"].push_back({{"name", "second"}, {"mesh", 0}});
    builder_.document["scenes"].push_back({{"nodes", {1}}});
    builder_.document["scene"] = 1;
    const Scene scene = read();
    ASSERT_THAT(scene.objects, SizeIs(1));
    EXPECT_EQ(scene.objects[0].name, "second");
}

TEST_F(GltfRead, SkinnedMeshStandsWhereItsFirstJointPutsIt) {
    builder_.addTriangle();
    builder_.document["skins"] = {{{"joints", {1}}}};
    builder_.document["nodes"] = {{{"mesh", 0}, {"skin", 0}, {"translation", {100, 0, 0}}},
                                  {{"translation", {3, 0, 0}}}};
    builder_.document["scenes"][0]["nodes"] = {0, 1};
    EXPECT_DOUBLE_EQ(read().objects.at(0).bounds.min().x(), 3);
}

TEST_F(GltfRead, CanBeCancelled) {
    builder_.addTriangle();
    builder_.addNode({{"mesh", 0}});
    test::RecordingProgress stop(0);
    const auto scene = readGltf(builder_.write(folder_.path(), "scene.glb"), stop);
    ASSERT_FALSE(scene);
    EXPECT_EQ(scene.error().code, ErrorCode::Cancelled);
}

}  // namespace
}  // namespace flentro
