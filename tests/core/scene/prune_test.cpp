// What nothing uses goes, and every index follows what it names.

#include "scene/prune.h"
#include "base/index.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "io/gltf.h"
#include "io/gltf_materials.h"
#include "io/image.h"
#include "report/export.h"
#include "scene/edit.h"
#include "scene/references.h"
#include "support/gltf_builder.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::GltfBuilder;
using testing::IsEmpty;

/// Node 0 is empty, 1 holds the mesh, 2 and 3 are bones; materials 0 and 2 are unused.
GltfBuilder makeFigure() {
    GltfBuilder b;
    b.addTriangle();
    Json& primitive = b.document["meshes"][0]["primitives"][0];
    primitive["material"] = 1;
    primitive["attributes"]["JOINTS_0"] = b.addShorts(std::vector<std::uint16_t>(12, 0), "VEC4");
    b.document["accessors"].back()["count"] = 3;
    primitive["attributes"]["WEIGHTS_0"] =
        b.addFloats({1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}, "VEC4");
    b.document["materials"] = {{{"name", "unused"}}, {{"name", "skin"}}, {{"name", "spare"}}};
    b.addNode({{"name", "nothing"}});
    b.addNode({{"name", "figure"}, {"mesh", 0}, {"skin", 0}});
    b.addNode({{"name", "hip"}, {"children", {3}}});
    b.document["nodes"].push_back({{"name", "knee"}});
    b.document["skins"] = {{{"joints", {2, 3}}, {"skeleton", 2}}};
    const int times = b.addFloats({0, 1}, "SCALAR");
    b.document["accessors"][static_cast<std::size_t>(times)]["min"] = {0};
    b.document["accessors"][static_cast<std::size_t>(times)]["max"] = {1};
    const int moves = b.addFloats({0, 0, 0, 1, 0, 0}, "VEC3");
    const Json pointer = {{"pointer", "/nodes/3/translation"}};
    b.document["animations"] = {
        {{"channels",
          {{{"sampler", 0}, {"target", {{"node", 2}, {"path", "translation"}}}},
           {{"sampler", 0},
            {"target",
             {{"path", "pointer"}, {"extensions", {{"KHR_animation_pointer", pointer}}}}}}}},
         {"samplers", {{{"input", times}, {"output", moves}}}}}};
    return b;
}

TEST(Prune, UnusedMaterialsGoAndTheOthersAreFollowed) {
    const test::TemporaryFolder folder;
    Scene scene = readGltf(makeFigure().write(folder.path(), "f.glb"), noProgress()).value();
    const Pruned pruned = pruneUnused(scene);
    EXPECT_EQ(pruned.materials, 2U);
    EXPECT_EQ(pruned.nodes, 0U) << "only where that is asked for";
    ASSERT_EQ(scene.materials.size(), 1U);
    EXPECT_EQ(scene.materials[0].name, "skin");
    EXPECT_EQ(scene.assets[0].mesh->parts[0].material, 0);
}

TEST(Prune, BonesAndAnimationsFollowTheirNodes) {
    const test::TemporaryFolder folder;
    Scene scene = readGltf(makeFigure().write(folder.path(), "f.glb"), noProgress()).value();
    const Pruned pruned = pruneUnused(scene, {true});
    EXPECT_EQ(pruned.nodes, 1U) << "bones are no empty nodes";
    ASSERT_EQ(scene.skins.size(), 1U);
    const auto nameOf = [&](int node) { return elementOf(scene.nodes, node).name; };
    EXPECT_EQ(nameOf(scene.skins[0].joints[0]), "hip");
    EXPECT_EQ(nameOf(scene.skins[0].joints[1]), "knee");
    EXPECT_EQ(nameOf(scene.skins[0].rest["skeleton"].get<int>()), "hip");
    ASSERT_EQ(scene.animations.size(), 1U);
    ASSERT_EQ(scene.animations[0].channels.size(), 2U);
    EXPECT_EQ(nameOf(animatedNode(scene.animations[0].channels[0])), "hip");
    EXPECT_EQ(nameOf(animatedNode(scene.animations[0].channels[1])), "knee");
    EXPECT_EQ(scene.objects[0].node, 0);
    ASSERT_TRUE(exportScene(scene, {}, folder / "out.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "out.glb"), "");
}

TEST(Prune, NothingGoesWhereUnknownExtensionsMayReferToIt) {
    const test::TemporaryFolder folder;
    GltfBuilder b = makeFigure();
    b.document["extensionsUsed"] = {"EX_swap"};
    b.document["nodes"][1]["extensions"]["EX_swap"] = {{"materials", {0, 2}}};
    Scene scene = readGltf(b.write(folder.path(), "f.glb"), noProgress()).value();
    EXPECT_TRUE(hasUnknownReferences(scene));
    EXPECT_EQ(pruneUnused(scene).materials, 0U);
    EXPECT_EQ(scene.materials.size(), 3U);
}

// --- round trips of what is easily lost ---------------------------------------------------

Scene throughAFile(const Scene& scene, const std::filesystem::path& file) {
    EXPECT_TRUE(exportScene(scene, {}, file, {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(file), "");
    return readGltf(file, noProgress()).value();
}

TEST(RoundTrip, NamesWithReservedCharactersNameTheirFiles) {
    const test::TemporaryFolder folder;
    const Scene scene = test::makeScene({{test::makeGrid(2, 2), {}}});
    for (const char* name : {"50 % #1.gltf", "a?b.gltf", "sp ace.gltf"}) {
        const Scene back = throughAFile(scene, folder / name);
        EXPECT_EQ(back.objects.size(), 1U) << name;
    }
}

TEST(RoundTrip, MarkersWithoutObjectsAndOtherScenesStay) {
    const test::TemporaryFolder folder;
    GltfBuilder b = makeFigure();
    b.document["extensionsUsed"] = {"EX_marker"};
    b.document["scenes"].push_back({{"name", "spare"}, {"nodes", {4}}});
    b.document["nodes"].push_back({{"name", "elsewhere"}, {"mesh", 0}});
    const Scene scene = readGltf(b.write(folder.path(), "f.glb"), noProgress()).value();
    const Scene back = throughAFile(scene, folder / "out.glb");
    EXPECT_EQ(back.scenes.size(), 2U);
    EXPECT_EQ(back.nodes.back().name, "elsewhere");
    EXPECT_EQ(back.objects.size(), scene.objects.size()) << "of the default scene only";
    const std::string document = test::readText(folder / "out.glb");
    EXPECT_NE(document.find("EX_marker"), std::string::npos);
}

TEST(RoundTrip, TheOtherFormatOfATextureKeepsItsFallback) {
    const test::TemporaryFolder folder;
    GltfBuilder b;
    b.addTriangle();
    const std::uint8_t grey[4 * 4 * 3] = {};
    const std::vector<std::byte> png = encodePng(grey, 4, 4, 3);
    const int view = b.addView(png.data(), png.size());
    b.document["images"] = {{{"bufferView", view}, {"mimeType", "image/png"}},
                            {{"bufferView", view}, {"mimeType", "image/webp"}}};
    b.document["textures"] = {
        {{"source", 0}, {"extensions", {{"EXT_texture_webp", {{"source", 1}}}}}}};
    b.document["extensionsUsed"] = {"EXT_texture_webp"};
    b.document["materials"] = {{{"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 0}}}}}}};
    Json& primitive = b.document["meshes"][0]["primitives"][0];
    primitive["material"] = 0;
    primitive["attributes"]["TEXCOORD_0"] = b.addFloats({0, 0, 1, 0, 0, 1}, "VEC2");
    b.addNode({{"mesh", 0}});
    const Scene scene = readGltf(b.write(folder.path(), "f.glb"), noProgress()).value();
    ASSERT_EQ(scene.textures.size(), 1U);
    EXPECT_EQ(scene.textures[0].image, 0);
    EXPECT_EQ(scene.textures[0].formatImage, 1);
    ASSERT_TRUE(exportScene(scene, {}, folder / "out.gltf", {}, noProgress()));
    const Json out = Json::parse(test::readText(folder / "out.gltf"));
    EXPECT_EQ(out["textures"][0]["source"], 0);
    EXPECT_EQ(out["textures"][0]["extensions"]["EXT_texture_webp"]["source"], 1);
    EXPECT_EQ(out["images"].size(), 2U);
}

}  // namespace
}  // namespace flentro
