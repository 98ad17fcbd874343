// What we write: valid, complete, and read alike by others.

#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <tiny_gltf.h>

#include <assimp/Importer.hpp>
#include <set>

#include "base/index.h"
#include "fixes/fix.h"
#include "fixes/ladder/ladder.h"
#include "fixes/merge/merge.h"
#include "fixes/stand_ins/stand_ins.h"
#include "io/gltf.h"
#include "io/image.h"
#include "measure/viewcost.h"
#include "report/export.h"
#include "scene/instances.h"
#include "support/gltf_builder.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

/// Triangles of every mesh, as the reader that the industry's samples use counts them.
std::size_t trianglesByTinyGltf(const fs::path& file) {
    tinygltf::TinyGLTF loader;
    tinygltf::Model model;
    std::string error, warning;
    const bool good = file.extension() == ".glb"
                          ? loader.LoadBinaryFromFile(&model, &error, &warning, file.string())
                          : loader.LoadASCIIFromFile(&model, &error, &warning, file.string());
    EXPECT_TRUE(good) << error;
    std::size_t triangles = 0;
    for (const auto& mesh : model.meshes)
        for (const auto& primitive : mesh.primitives)
            triangles += elementOf(model.accessors, primitive.indices).count / 3;
    return triangles;
}

/// Triangles as placed, by the import library.
std::size_t placedByImportLibrary(const fs::path& file) {
    Assimp::Importer importer;
    const aiScene* scene = importer.ReadFile(file.string(), 0);
    EXPECT_NE(scene, nullptr) << importer.GetErrorString();
    std::size_t triangles = 0;
    std::vector<const aiNode*> waiting;
    if (scene) waiting.push_back(scene->mRootNode);
    while (!waiting.empty()) {
        const aiNode* node = waiting.back();
        waiting.pop_back();
        for (unsigned i = 0; i < node->mNumMeshes; ++i)
            triangles += scene->mMeshes[node->mMeshes[i]]->mNumFaces;
        for (unsigned i = 0; i < node->mNumChildren; ++i) waiting.push_back(node->mChildren[i]);
    }
    return triangles;
}

std::size_t placedTriangles(const Scene& scene) {
    std::size_t triangles = 0;
    for (const Object& object : scene.objects) triangles += scene.mesh(object).triangles;
    return triangles;
}

Scene laddered() {
    Scene scene = test::makeScene({{test::makeSphere(48, 24), {0, 0, 0}},
                                   {test::named(test::makeGrid(20, 20), "floor"), {5, 0, 0}, 3}});
    LadderSettings settings;
    settings.simplifyLevel0 = false;
    settings.minTriangles = 1000;
    auto fixed = applyLadder(scene, settings, Target{}, noProgress());
    Scene result = fixed.value().scene;
    for (Object& object : result.objects) object.culling = {40, 50};
    return result;
}

class GltfWrite : public testing::Test {
protected:
    Scene roundTrip(const Scene& scene, const GltfWriteOptions& options = {},
                    const std::string& name = "out.glb") {
        const auto done = writeGltf(scene, folder_ / name, options, noProgress());
        EXPECT_TRUE(done) << describe(done.error());
        auto back = readGltf(folder_ / name, noProgress());
        EXPECT_TRUE(back) << describe(back.error());
        return back ? std::move(*back) : Scene{};
    }
    test::TemporaryFolder folder_;
};

/// What is written again takes away the buffers that it wrote, and no other's.
TEST_F(GltfWrite, BuffersOfOtherScenesStay) {
    const auto written = [&](const char* name, const Vec3f& size) {
        const Scene scene = test::makeScene({{test::makeBox(size), {0, 0, 0}}});
        EXPECT_TRUE(writeGltf(scene, folder_ / name, {}, noProgress()));
    };
    written("level2.gltf", {1, 1, 1});
    written("level-old.gltf", {2, 1, 1});
    written("level.gltf", {3, 1, 1});
    // As if the first export had named more than its own: by hand, or by an older program.
    std::string text = test::readText(folder_ / "level.gltf");
    const std::string buffers = "\"buffers\": [";
    const std::size_t at = text.find(buffers);
    ASSERT_NE(at, std::string::npos);
    for (const char* name : {"level2.bin", "level-old.bin"})
        text.insert(at + buffers.size(),
                    std::string("{\"byteLength\": 4, \"uri\": \"") + name + "\"},");
    test::writeText(folder_ / "level.gltf", text);
    written("level.gltf", {4, 1, 1});
    EXPECT_TRUE(std::filesystem::exists(folder_ / "level2.bin"));
    EXPECT_TRUE(std::filesystem::exists(folder_ / "level-old.bin"));
    EXPECT_FALSE(std::filesystem::exists(folder_ / "level.bin")) << "its own, of before";
    written("level.gltf", {5, 1, 1});
    EXPECT_EQ(folder_.fileCount(), 6U) << "three scenes with a buffer each";
}

TEST_F(GltfWrite, RoundTripKeepsEveryHash) {
    const Scene scene = test::makeScene(
        {{test::makeSphere(12, 8), {1, 2, 3}, 2}, {test::makeBox({1, 2, 3}), {-4, 0, 0}}});
    for (const char* name : {"out.glb", "out.gltf"}) {
        const Scene back = roundTrip(scene, {}, name);
        ASSERT_THAT(back.assets, SizeIs(2));
        for (std::size_t i = 0; i < 2; ++i)
            EXPECT_EQ(back.assets[i].mesh->hash, scene.assets[i].mesh->hash);
        EXPECT_TRUE(back.objects[0].world.isApprox(scene.objects[0].world));
        EXPECT_EQ(test::validatorErrors(folder_ / name), "");
        EXPECT_EQ(trianglesByTinyGltf(folder_ / name), scene.assets[0].mesh->triangles + 12);
    }
}

TEST_F(GltfWrite, IndependentReadersCountTheSameTriangles) {
    const Scene scene =
        test::makeScene({{test::makeSphere(20, 10), {0, 0, 0}}, {test::makeGrid(9, 7), {3, 0, 0}}});
    (void)roundTrip(scene);
    EXPECT_EQ(placedByImportLibrary(folder_ / "out.glb"), placedTriangles(scene));
}

TEST_F(GltfWrite, LevelsTravelInTheExtension) {
    const Scene scene = laddered();
    ASSERT_GE(scene.assets[0].ladder.levels.size(), 3U);
    const Scene back = roundTrip(scene);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    ASSERT_THAT(back.assets, SizeIs(2)) << "levels are no assets";
    EXPECT_THAT(back.nodes, SizeIs(2)) << "level nodes are no nodes of the scene";
    const Ladder& ladder = back.assets[0].ladder;
    ASSERT_EQ(ladder.levels.size(), scene.assets[0].ladder.levels.size());
    for (std::size_t i = 0; i < ladder.levels.size(); ++i) {
        EXPECT_EQ(ladder.levels[i].mesh->triangles,
                  scene.assets[0].ladder.levels[i].mesh->triangles);
        EXPECT_DOUBLE_EQ(ladder.levels[i].switchDistance,
                         scene.assets[0].ladder.levels[i].switchDistance);
        EXPECT_DOUBLE_EQ(ladder.levels[i].deviation, scene.assets[0].ladder.levels[i].deviation);
    }
    EXPECT_DOUBLE_EQ(back.objects[0].culling.end, 50);
    EXPECT_DOUBLE_EQ(back.objects[0].culling.fadeStart, 40);
}

TEST_F(GltfWrite, WritingTwiceAddsNothing) {
    const Scene once = roundTrip(laddered(), {}, "one.glb");
    (void)roundTrip(once, {}, "two.glb");
    EXPECT_EQ(fs::file_size(folder_ / "one.glb"), fs::file_size(folder_ / "two.glb"));
}

TEST_F(GltfWrite, LevelsAsNamedNodesArePlainToOtherReaders) {
    const Scene scene = laddered();
    GltfWriteOptions options;
    options.levels = LevelLayout::NamedNodes;
    const Scene back = roundTrip(scene, options);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    std::size_t all = placedTriangles(scene);
    for (const Ladder::Level& level : scene.assets[0].ladder.levels) all += level.mesh->triangles;
    EXPECT_EQ(placedByImportLibrary(folder_ / "out.glb"), all);
    std::vector<std::string> names;
    for (const Node& node : back.nodes) names.push_back(node.name);
    EXPECT_THAT(names, testing::Contains("sphere node_LOD1"));
}

TEST_F(GltfWrite, TopOnlyLeavesLevelsOut) {
    GltfWriteOptions options;
    options.levels = LevelLayout::TopOnly;
    const Scene back = roundTrip(laddered(), options);
    EXPECT_TRUE(back.assets[0].ladder.empty());
    EXPECT_EQ(trianglesByTinyGltf(folder_ / "out.glb"), placedTriangles(back));
}

TEST_F(GltfWrite, LevelsShareTheVerticesOfTheTop) {
    const Scene scene = laddered();
    ASSERT_TRUE(writeGltf(scene, folder_ / "levels.glb", {}, noProgress()));
    GltfWriteOptions topOnly;
    topOnly.levels = LevelLayout::TopOnly;
    ASSERT_TRUE(writeGltf(scene, folder_ / "top.glb", topOnly, noProgress()));
    std::size_t indexBytes = 0;
    std::size_t vertexBytes = 0;
    for (const Ladder::Level& level : scene.assets[0].ladder.levels) {
        indexBytes += level.mesh->triangles * 6;
        vertexBytes += level.mesh->vertices * 32;
    }
    const std::size_t grown =
        fs::file_size(folder_ / "levels.glb") - fs::file_size(folder_ / "top.glb");
    constexpr std::size_t kNodesAndAccessors = 5000;
    EXPECT_LT(grown, indexBytes + kNodesAndAccessors);
    EXPECT_GT(vertexBytes, kNodesAndAccessors) << "else the test shows nothing";
}

TEST_F(GltfWrite, NodeWithChildrenHandsItsMeshToAChildOfItsOwn) {
    Scene scene = laddered();
    scene.nodes[0].children = {1};
    scene.nodes[1].parent = 0;
    scene.scenes[0]["nodes"] = {0};
    flatten(scene);
    const Scene back = roundTrip(scene);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    ASSERT_THAT(back.objects, SizeIs(2));
    EXPECT_EQ(back.nodes[0].mesh, -1);
    EXPECT_FALSE(back.assets[0].ladder.empty());
}

/// A document with everything that must survive: skins, animations, cameras, lights,
/// unknown extensions and extras, morph targets, texture transforms.
test::GltfBuilder everything() {
    test::GltfBuilder b;
    b.addTriangle();
    const std::uint8_t pixel[3] = {200, 100, 50};
    const Bytes png = encodePng(pixel, 1, 1, 3);
    b.document["images"] = {{{"bufferView", b.addView(png.data(), png.size())},
                             {"mimeType", "image/png"},
                             {"extras", {{"artist", "nobody"}}}}};
    b.document["samplers"] = {{{"minFilter", 9728}, {"wrapS", 33071}}};
    b.document["textures"] = {{{"source", 0}, {"sampler", 0}, {"name", "dots"}}};
    b.document["materials"] = {
        {{"name", "paint"},
         {"pbrMetallicRoughness",
          {{"baseColorTexture",
            {{"index", 0}, {"extensions", {{"KHR_texture_transform", {{"scale", {2, 3}}}}}}}}}}}};
    auto& primitive = b.document["meshes"][0]["primitives"][0];
    primitive["material"] = 0;
    primitive["attributes"]["TEXCOORD_0"] = b.addFloats({0, 0, 1, 0, 0, 1}, "VEC2");
    primitive["attributes"]["JOINTS_0"] = b.addShorts({0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, "VEC4");
    b.document["accessors"].back()["count"] = 3;
    primitive["attributes"]["WEIGHTS_0"] =
        b.addFloats({1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0}, "VEC4");
    primitive["targets"] = {{{"POSITION", b.addFloats({0, 0, 1, 0, 0, 1, 0, 0, 1}, "VEC3")}}};
    b.document["accessors"].back()["min"] = {0, 0, 1};
    b.document["accessors"].back()["max"] = {0, 0, 1};
    b.document["meshes"][0]["weights"] = {0.5};
    b.document["meshes"][0]["extras"] = {{"kind", "banner"}};
    b.document["cameras"] = {
        {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}}};
    const int matrices = b.addFloats({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1}, "VEC4");
    b.document["accessors"][static_cast<std::size_t>(matrices)]["type"] = "MAT4";
    b.document["accessors"][static_cast<std::size_t>(matrices)]["count"] = 1;
    b.document["skins"] = {{{"joints", {1}}, {"inverseBindMatrices", matrices}, {"name", "bones"}}};
    const int times = b.addFloats({0, 1}, "SCALAR");
    b.document["accessors"].back()["min"] = {0};
    b.document["accessors"].back()["max"] = {1};
    const int moves = b.addFloats({0, 0, 0, 1, 0, 0}, "VEC3");
    b.document["animations"] = {
        {{"name", "sway"},
         {"samplers", {{{"input", times}, {"output", moves}, {"interpolation", "LINEAR"}}}},
         {"channels", {{{"sampler", 0}, {"target", {{"node", 1}, {"path", "translation"}}}}}}}};
    b.document["extensions"]["KHR_lights_punctual"]["lights"] = {
        {{"type", "spot"}, {"spot", Json::object()}}};
    b.document["extensionsUsed"] = {"KHR_lights_punctual", "KHR_texture_transform", "ACME_mood"};
    b.addNode({{"name", "banner"}, {"mesh", 0}, {"skin", 0}, {"extras", {{"price", 12}}}});
    b.addNode({{"name", "joint"}, {"extensions", {{"ACME_mood", {{"mood", "calm"}}}}}});
    b.addNode({{"name", "eye"}, {"camera", 0}});
    b.addNode({{"name", "lamp"}, {"extensions", {{"KHR_lights_punctual", {{"light", 0}}}}}});
    return b;
}

TEST_F(GltfWrite, KeepsWhatItDoesNotInterpret) {
    const fs::path source = everything().write(folder_.path(), "everything.glb");
    ASSERT_EQ(test::validatorErrors(source), "") << "the test's own file must be sound";
    const Scene scene = readGltf(source, noProgress()).value();
    EXPECT_THAT(scene.notes, IsEmpty());
    const Scene back = roundTrip(scene);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    EXPECT_EQ(back.assets[0].mesh->hash, scene.assets[0].mesh->hash);
    EXPECT_EQ(back.assets[0].mesh->rest["extras"]["kind"], "banner");
    EXPECT_THAT(back.assets[0].mesh->parts[0].targets, SizeIs(1));
    EXPECT_EQ(back.materials[0].source, scene.materials[0].source);
    EXPECT_EQ(back.samplers[0].rest, scene.samplers[0].rest);
    EXPECT_FALSE(back.samplers[0].usesMipMaps());
    EXPECT_EQ(back.images[0].hash, scene.images[0].hash);
    EXPECT_EQ(back.images[0].rest["extras"]["artist"], "nobody");
    EXPECT_EQ(back.nodes[0].rest["extras"]["price"], 12);
    EXPECT_EQ(back.nodes[1].rest["extensions"]["ACME_mood"]["mood"], "calm");
    EXPECT_EQ(back.cameras, scene.cameras);
    EXPECT_EQ(back.skins[0].joints, std::vector<int>{1});
    EXPECT_EQ(back.skins[0].inverseBind->hash(), scene.skins[0].inverseBind->hash());
    ASSERT_THAT(back.animations, SizeIs(1));
    EXPECT_EQ(back.animations[0].channels, scene.animations[0].channels);
    EXPECT_EQ(back.streams[1]->hash(), scene.streams[1]->hash());
    EXPECT_EQ(back.lights[0].type, LightType::Spot);
    Scene same = back;  // but for what says where it came from
    same.name = scene.name;
    same.files = scene.files;
    same.rest["asset"] = scene.rest["asset"];
    EXPECT_EQ(hashScene(same), hashScene(scene));
}

TEST_F(GltfWrite, AnimatedNodeKeepsItsPlaceWhenLevelsAreAdded) {
    Scene scene = readGltf(everything().write(folder_.path(), "in.glb"), noProgress()).value();
    Ladder::Level level{scene.assets[0].mesh, 0.1, 10};
    scene.assets[0].ladder.levels.push_back(level);
    scene.nodes[0].children = {1};
    scene.nodes[1].parent = 0;
    scene.scenes[0]["nodes"] = {0, 2, 3};
    const Scene back = roundTrip(scene);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    EXPECT_EQ(back.animations[0].channels[0]["target"]["node"], 1);
    EXPECT_EQ(back.nodes[1].name, "joint");
    EXPECT_EQ(back.skins[0].joints, std::vector<int>{1});
}

TEST_F(GltfWrite, MissingImagesLeaveTexturesWithoutSource) {
    Scene scene = test::makeScene({{test::makeGrid(1, 1), {0, 0, 0}}});
    scene.images.resize(1);
    scene.textures.push_back({"lost", 0, -1, Json::object()});
    const Scene back = roundTrip(scene);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    EXPECT_THAT(back.images, IsEmpty());
    EXPECT_EQ(back.textures.at(0).image, -1);
}

TEST_F(GltfWrite, EmptySceneIsValid) {
    Scene scene;
    scene.rest = {{"asset", {{"version", "2.0"}}}};
    EXPECT_THAT(roundTrip(scene).objects, IsEmpty());
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
}

TEST_F(GltfWrite, OddElementSizesArePadded) {
    Mesh mesh = test::makeGrid(1, 1);
    Stream colors{ComponentType::UInt8, 3, true, false, Bytes(12, std::byte{128})};
    test::addStream(mesh.parts[0], "COLOR_0", colors);
    const Scene back = roundTrip(test::makeScene({{mesh, {0, 0, 0}}}));
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
    EXPECT_EQ(back.assets[0].mesh->parts[0].find("COLOR_0")->data, colors.data);
}

TEST_F(GltfWrite, LargeMeshesGetFourByteIndices) {
    const Scene scene = test::makeScene({{test::makeGrid(300, 300), {0, 0, 0}}});
    const Scene back = roundTrip(scene);
    EXPECT_EQ(back.assets[0].mesh->hash, scene.assets[0].mesh->hash);
    EXPECT_EQ(test::validatorErrors(folder_ / "out.glb"), "");
}

TEST_F(GltfWrite, CancellingLeavesNoFile) {
    test::RecordingProgress stop(0);
    const auto done = writeGltf(laddered(), folder_ / "out.glb", {}, stop);
    ASSERT_FALSE(done);
    EXPECT_EQ(done.error().code, ErrorCode::Cancelled);
    EXPECT_EQ(folder_.fileCount(), 0U);
}

// --- export -------------------------------------------------------------------------------

TEST_F(GltfWrite, ExportNeverWritesOverTheSource) {
    const Scene scene = roundTrip(laddered(), {}, "source.glb");
    const std::string before = test::readText(folder_ / "source.glb");
    fs::create_symlink(folder_ / "source.glb", folder_ / "alias.glb");
    for (const char* name : {"source.glb", "alias.glb"}) {
        const auto done = exportScene(scene, Target{}, folder_ / name, {}, noProgress());
        ASSERT_FALSE(done);
        EXPECT_EQ(done.error().code, ErrorCode::Forbidden);
    }
    EXPECT_EQ(test::readText(folder_ / "source.glb"), before);
}

TEST_F(GltfWrite, ExportNeverWritesOverTheSourcesBuffer) {
    const Scene scene = roundTrip(laddered(), {}, "source.gltf");
    fs::rename(folder_ / "source.gltf", folder_ / "renamed.gltf");
    const Scene renamed = readGltf(folder_ / "renamed.gltf", noProgress()).value();
    EXPECT_EQ(
        exportScene(renamed, Target{}, folder_ / "source.gltf", {}, noProgress()).error().code,
        ErrorCode::Forbidden)
        << "source.bin belongs to the source";
    EXPECT_TRUE(exportScene(renamed, Target{}, folder_ / "source.glb", {}, noProgress()))
        << "a .glb has no .bin beside it";
}

TEST_F(GltfWrite, ManifestListsLevelsAndDistances) {
    const Scene scene = laddered();
    const auto done = exportScene(scene, Target{}, folder_ / "out.glb", {}, noProgress());
    ASSERT_TRUE(done) << describe(done.error());
    EXPECT_EQ(done->bytes, fs::file_size(folder_ / "out.glb"));
    const Json manifest = Json::parse(test::readText(done->manifest));
    EXPECT_EQ(manifest["format"], "flentro-manifest");
    const Json& asset = manifest["assets"][0];
    EXPECT_EQ(asset["sources"][0], "sphere");
    EXPECT_EQ(asset["levels"].size(), scene.assets[0].levelCount());
    EXPECT_EQ(asset["levels"][1]["triangles"], scene.assets[0].level(1)->triangles);
    EXPECT_EQ(manifest["objects"][1]["culling"]["end"], 50);
}

TEST_F(GltfWrite, ExportRefusesOtherFormats) {
    EXPECT_EQ(exportScene(laddered(), Target{}, folder_ / "out.obj", {}, noProgress()).error().code,
              ErrorCode::Unsupported);
}

/// Twenty boxes in two heaps; all fixes of layout applied in their order.
Scene laidOut(const Scene& scene) {
    Target target;
    target.batching = Batching::Nothing;
    at(target.limits, Measure::DrawCalls) = 5;
    MergeSettings merge;
    merge.parcel = 16;
    Scene result = applyMerge(scene, merge, target, {}, noProgress())->scene;
    StandInSettings far;
    far.parcel = 1000;
    far.startDistance = 80;
    return applyStandIns(result, far, target, noProgress())->scene;
}

Scene makeHeaps() {
    std::vector<test::Placed> placed;
    for (int i = 0; i < 20; ++i) {
        const float size = 0.5F + 0.01F * static_cast<float>(i);
        placed.push_back(
            {test::named(test::makeBox({size, size, size}), ("box " + std::to_string(i)).c_str()),
             {i < 10 ? 2.0 : 302.0, 0, 1.5 * (i % 10)}});
    }
    return test::makeScene(placed);
}

TEST(GltfLayout, MergedGeometryAndStandInsAreSound) {
    const Scene scene = laidOut(makeHeaps());
    ASSERT_LT(scene.objects.size(), 20U);
    const auto standIn = std::find_if(scene.objects.begin(), scene.objects.end(),
                                      [](const Object& o) { return o.culling.start > 0; });
    ASSERT_NE(standIn, scene.objects.end());
    test::TemporaryFolder folder;
    const fs::path file = folder / "laid-out.glb";
    ASSERT_TRUE(exportScene(scene, {}, file, {}, noProgress()));
    EXPECT_THAT(test::validatorErrors(file), IsEmpty());
    // As others place it: 20 boxes, the stand-in outside of the tree.
    EXPECT_EQ(placedByImportLibrary(file), 20U * 12);
    EXPECT_EQ(trianglesByTinyGltf(file), 20U * 12 + scene.mesh(*standIn).triangles);
    const auto back = readGltf(file, noProgress());
    ASSERT_TRUE(back);
    EXPECT_EQ(placedTriangles(*back), 20U * 12 + scene.mesh(*standIn).triangles);
    // Named nodes show both; the top level alone shows the objects.
    ExportOptions options;
    options.levels = LevelLayout::NamedNodes;
    ASSERT_TRUE(exportScene(scene, {}, folder / "named.glb", options, noProgress()));
    EXPECT_THAT(test::validatorErrors(folder / "named.glb"), IsEmpty());
    EXPECT_EQ(placedByImportLibrary(folder / "named.glb"),
              20U * 12 + scene.mesh(*standIn).triangles);
}

TEST(Manifest, NamesLeadBackFromMergedGeometry) {
    const Json manifest = makeManifest(laidOut(makeHeaps()), {});
    std::set<std::string> names;
    std::size_t triangles = 0;
    for (const Json& asset : manifest["assets"])
        for (const Json& range : asset.value("ranges", Json::array())) {
            names.insert(range["object"].get<std::string>());
            triangles += range["triangles"].get<std::size_t>();
        }
    EXPECT_THAT(names, SizeIs(20));
    EXPECT_EQ(triangles, 20U * 12);
    std::size_t standIns = 0;
    for (const Json& object : manifest["objects"]) {
        standIns += object.contains("start");
        EXPECT_NE(object.contains("start"), object.contains("standIn")) << object["name"];
    }
    EXPECT_GE(standIns, 1U);
}

/// Every count of some views around a scene, as one text.
std::string viewsOf(const Scene& scene) {
    std::string text;
    for (const double distance : {5.0, 60.0, 100.0, 250.0})
        for (int heading = 0; heading < 360; heading += 45) {
            const Vec3d eye = scene.bounds().center() - distance * lookDirection(heading, 0);
            for (const double value : viewCost(scene, {}, {eye, double(heading), 0}).counts)
                text += fmt::format("{:.0f} ", value);
            text += "\n";
        }
    return text;
}

TEST(GltfLayout, ReadBackEverythingCostsTheSame) {
    Scene scene = laidOut(makeHeaps());
    for (std::size_t i = 0; i < scene.objects.size(); ++i) {
        Culling& culling = scene.objects[i].culling;
        culling.end = culling.start > 0 ? 220 : 400;
        culling.fadeStart = culling.end * 0.9;
        culling.shadowEnd = 70;
    }
    const std::string before = viewsOf(scene);
    test::TemporaryFolder folder;
    const LevelLayout layouts[] = {LevelLayout::LodExtension, LevelLayout::NamedNodes};
    for (const LevelLayout layout : layouts)
        for (const bool instances : {false, true}) {
            ExportOptions options;
            options.levels = layout;
            Scene written = scene;
            if (instances) shareNodes(written);
            ASSERT_TRUE(exportScene(written, {}, folder / "once.glb", options, noProgress()));
            const auto back = readGltf(folder / "once.glb", noProgress());
            ASSERT_TRUE(back);
            EXPECT_EQ(viewsOf(*back), before);
            ASSERT_TRUE(exportScene(*back, {}, folder / "twice.glb", options, noProgress()));
            EXPECT_EQ(viewsOf(readGltf(folder / "twice.glb", noProgress()).value()), before);
            EXPECT_THAT(test::validatorErrors(folder / "twice.glb"), IsEmpty());
        }
}

TEST(GltfLayout, LowerLevelOfAGroupIsAStandInWhoeverWroteIt) {
    test::GltfBuilder b;
    b.addTriangle();
    b.addTriangle();
    b.addNode({{"name", "group"},
               {"children", {1}},
               {"extensions", {{"MSFT_lod", {{"ids", {2}}}}}},
               {"extras", {{"MSFT_screencoverage", {0.01, 0}}}}});
    b.addNode({{"name", "house"}, {"mesh", 0}});
    b.addNode({{"name", "far house"}, {"mesh", 1}});
    b.document["scenes"] = {{{"nodes", {0}}}};
    b.document["extensionsUsed"] = {"MSFT_lod"};
    test::TemporaryFolder folder;
    const Scene scene = readGltf(b.write(folder.path(), "group.glb"), noProgress()).value();
    ASSERT_THAT(scene.objects, SizeIs(2));
    const auto far = std::find_if(scene.objects.begin(), scene.objects.end(),
                                  [](const Object& o) { return o.name == "far house"; });
    ASSERT_NE(far, scene.objects.end());
    // A diagonal of 1.414 m is a tenth of the view's height times 16 / 9 at this distance.
    EXPECT_NEAR(far->culling.start, std::sqrt(2 / 0.01 * 9 / 16) / (2 * std::tan(kPi / 6)), 1e-3);
    EXPECT_EQ(elementOf(scene.objects, far == scene.objects.begin()).standIn,
              far - scene.objects.begin());
}

TEST(GltfLayout, ShadowAndLightDistancesSurvive) {
    Scene scene = test::makeScene({{test::makeBox({1, 1, 1}), {0, 0, 0}},
                                   {test::named(test::makeBox({2, 1, 1}), "plain"), {5, 0, 0}}});
    scene.objects[0].castsShadow = false;
    scene.objects[1].culling.shadowEnd = 33;
    scene.lights.resize(1);
    scene.lights[0].rest = {{"type", "point"}};
    Node lamp;
    lamp.name = "lamp";
    lamp.light = 0;
    scene.scenes[0]["nodes"].push_back(scene.nodes.size());
    scene.nodes.push_back(lamp);
    PlacedLight placed;
    placed.name = "lamp";
    placed.node = 2;
    placed.light = 0;
    placed.fadeStart = 40;
    placed.end = 50;
    scene.placedLights = {placed};
    test::TemporaryFolder folder;
    ASSERT_TRUE(exportScene(scene, {}, folder / "lit.gltf", {}, noProgress()));
    EXPECT_THAT(test::validatorErrors(folder / "lit.gltf"), IsEmpty());
    const Json document = Json::parse(test::readText(folder / "lit.gltf"));
    EXPECT_EQ(document["nodes"][0]["extras"]["castsShadow"], false);
    EXPECT_EQ(document["nodes"][1]["extras"]["flentro"]["shadowEnd"], 33);
    EXPECT_EQ(document["nodes"][2]["extras"]["flentro"]["light"]["end"], 50);
    const Scene back = readGltf(folder / "lit.gltf", noProgress()).value();
    EXPECT_FALSE(back.objects[0].castsShadow);
    EXPECT_EQ(back.objects[1].culling.shadowEnd, 33);
    EXPECT_EQ(back.placedLights[0].fadeStart, 40);
    EXPECT_EQ(back.placedLights[0].end, 50);
    const Json manifest = makeManifest(scene, {});
    EXPECT_EQ(manifest["lights"][0]["end"], 50);
    EXPECT_EQ(manifest["objects"][1]["shadowEnd"], 33);
}

}  // namespace
}  // namespace flentro
