// Every index of a glTF document, broken one after the other.

#include "io/gltf_references.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fstream>

#include "fixes/fix.h"
#include "io/gltf.h"
#include "report/export.h"
#include "support/gltf_builder.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::GltfBuilder;
using testing::HasSubstr;
using testing::IsEmpty;

/// `places`: accessor of two positions.
void addNodes(GltfBuilder& b, int places) {
    b.addNode({{"name", "root"},
               {"mesh", 0},
               {"camera", 0},
               {"children", {1}},
               {"extensions",
                {{"KHR_lights_punctual", {{"light", 0}}},
                 {"MSFT_lod", {{"ids", {2}}}},
                 {"EXT_mesh_gpu_instancing", {{"attributes", {{"TRANSLATION", places}}}}}}}});
    b.document["nodes"].push_back({{"name", "figure"}, {"mesh", 0}, {"skin", 0}});
    b.document["nodes"].push_back({{"name", "far"}, {"mesh", 0}});
}

/// A document in which every rule finds something: each list has one element.
GltfBuilder fullDocument() {
    GltfBuilder b;
    b.addTriangle();
    const int matrices = b.addFloats({1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1}, "MAT4");
    b.document["accessors"][static_cast<std::size_t>(matrices)]["count"] = 1;
    const int times = b.addFloats({0, 1}, "SCALAR");
    const int places = b.addFloats({0, 0, 0, 1, 0, 0}, "VEC3");
    const std::uint16_t first = 0;
    const float moved[3] = {0, 0, 0};
    const int sparse = b.addFloats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    b.document["accessors"][static_cast<std::size_t>(sparse)]["sparse"] = {
        {"count", 1},
        {"indices", {{"bufferView", b.addView(&first, 2)}, {"componentType", 5123}}},
        {"values", {{"bufferView", b.addView(moved, 12)}}}};
    const unsigned char packed[] = {0xD1, 0, 0, 0, 0, 0};  // one index: 0
    const int view = b.addView(packed, sizeof packed);
    b.document["bufferViews"][static_cast<std::size_t>(view)]["extensions"]
              ["EXT_meshopt_compression"] = {{"buffer", 0},
                                             {"byteOffset", b.data.size() - sizeof packed},
                                             {"byteLength", sizeof packed},
                                             {"byteStride", 2},
                                             {"count", 1},
                                             {"mode", "INDICES"}};
    const char junk[] = "not a picture";
    b.document["images"] = {{{"bufferView", b.addView(junk, sizeof junk)}}};
    b.document["samplers"] = {Json::object()};
    b.document["textures"] = {
        {{"source", 0},
         {"sampler", 0},
         {"extensions",
          {{"KHR_texture_basisu", {{"source", 0}}}, {"EXT_texture_webp", {{"source", 0}}}}}}};
    b.document["materials"] = {{{"name", "paint"}}};
    b.document["cameras"] = {
        {{"type", "perspective"}, {"perspective", {{"yfov", 1}, {"znear", 0.1}}}}};
    b.document["extensions"]["KHR_lights_punctual"]["lights"] = {{{"type", "point"}}};
    b.document["extensions"]["KHR_materials_variants"]["variants"] = {{{"name", "red"}}};
    b.document["skins"] = {{{"joints", {0}}, {"skeleton", 0}, {"inverseBindMatrices", matrices}}};
    b.document["animations"] = {
        {{"channels", {{{"sampler", 0}, {"target", {{"node", 0}, {"path", "translation"}}}}}},
         {"samplers", {{{"input", times}, {"output", places}}}}}};
    Json& primitive = b.document["meshes"][0]["primitives"][0];
    primitive["material"] = 0;
    primitive["targets"] = {{{"POSITION", sparse}}};
    primitive["extensions"]["KHR_materials_variants"]["mappings"] = {
        {{"material", 0}, {"variants", {0}}}};
    addNodes(b, places);
    for (Json& accessor : b.document["accessors"])
        if (accessor["type"] == "SCALAR" && accessor["componentType"] == 5126) {
            accessor["min"] = {0};
            accessor["max"] = {1};
        }
    return b;
}

/// The first value at the end of a rule's path, or null.
Json* find(Json& at, std::string path) {
    Json* here = &at;
    while (!path.empty()) {
        const std::size_t end = std::min(path.find_first_of(".["), path.size());
        const std::string key = path.substr(0, end);
        if (!key.empty()) {
            if (key == "*" ? here->empty() : !here->contains(key)) return nullptr;
            here = key == "*" ? &here->front() : &(*here)[key];
        }
        path.erase(0, end);
        for (; path.starts_with("[]"); path.erase(0, 2)) {
            // The element on which the path goes on.
            const std::string next = path.substr(2, path.find_first_of(".[", 3) - 2);
            Json* chosen = here->empty() ? nullptr : &here->front();
            for (Json& element : *here)
                if (next.size() > 1 && element.contains(next.substr(1))) chosen = &element;
            if (!chosen) return nullptr;
            here = chosen;
        }
        if (path.starts_with(".")) path.erase(0, 1);
    }
    return here;
}

TEST(References, ASoundDocumentPassesAsItIs) {
    GltfBuilder b = fullDocument();
    b.document["buffers"] = {{{"byteLength", b.data.size()}}};
    const Json before = b.document;
    std::vector<Note> notes;
    const auto done = checkReferences(b.document, notes);
    ASSERT_TRUE(done) << describe(done.error());
    EXPECT_THAT(notes, IsEmpty());
    EXPECT_EQ(b.document, before);
}

TEST(References, EveryIndexIsCheckedAndNothingReadsItAfterwards) {
    const test::TemporaryFolder folder;
    for (const IndexRule& rule : indexRules()) {
        for (const Json& wrong : {Json(99), Json(-1), Json("x"), Json(1.5), Json::object()}) {
            SCOPED_TRACE(std::string(rule.path) + " = " + wrong.dump());
            GltfBuilder b = fullDocument();
            if (std::string(rule.path).find("draco") != std::string::npos)
                b.document["meshes"][0]["primitives"][0]["extensions"]
                          ["KHR_draco_mesh_compression"] = {{"bufferView", 0},
                                                            {"attributes", Json::object()}};
            Json* index = find(b.document, rule.path);
            ASSERT_NE(index, nullptr) << "the document lacks what the rule is about";
            *index = wrong;
            const auto scene = readGltf(b.write(folder.path(), "bad.glb"), noProgress());
            if (rule.policy == DanglingPolicy::Refuse) {
                ASSERT_FALSE(scene);
                EXPECT_THAT(describe(scene.error()), HasSubstr("names none of"));
                EXPECT_THAT(scene.error().where, HasSubstr("bad.glb"));
                continue;
            }
            ASSERT_TRUE(scene) << describe(scene.error());
            std::string told;
            for (const Note& note : scene->notes) told += note.where + ": " + note.what + "\n";
            EXPECT_THAT(told, HasSubstr("names none of"));
            // What was left standing can be written, and is valid.
            const auto written = folder / "again.glb";
            ASSERT_TRUE(exportScene(*scene, Target{}, written, {}, noProgress()));
            EXPECT_TRUE(readGltf(written, noProgress()));
        }
    }
}

struct Spoiled {
    const char* name;
    const char* pointer;
    const char* value;
};
void PrintTo(const Spoiled& s, std::ostream* out) {
    *out << s.name;
}
class NoObject : public testing::TestWithParam<Spoiled> {};

TEST_P(NoObject, IsRefusedByName) {
    const test::TemporaryFolder folder;
    GltfBuilder b = fullDocument();
    b.document[Json::json_pointer(GetParam().pointer)] = Json::parse(GetParam().value);
    const auto scene = readGltf(b.write(folder.path(), "bad.glb"), noProgress());
    ASSERT_FALSE(scene);
    EXPECT_EQ(scene.error().code, ErrorCode::InvalidInput);
    EXPECT_THAT(describe(scene.error()), testing::AnyOf(HasSubstr("object"), HasSubstr("list")));
}

INSTANTIATE_TEST_SUITE_P(
    References, NoObject,
    testing::Values(Spoiled{"Scenes", "/scenes/0", "7"}, Spoiled{"SceneList", "/scenes", "{}"},
                    Spoiled{"Nodes", "/nodes/0", "[]"}, Spoiled{"Samplers", "/samplers/0", "7"},
                    Spoiled{"Channels", "/animations/0/channels/0", "null"},
                    Spoiled{"Target", "/animations/0/channels/0/target", "3"},
                    Spoiled{"MorphTarget", "/meshes/0/primitives/0/targets/0", "3"},
                    Spoiled{"Extensions", "/nodes/0/extensions", "7"},
                    Spoiled{"MaterialExtensions", "/materials/0/extensions", "\"no\""},
                    Spoiled{"Metallic", "/materials/0/pbrMetallicRoughness", "[1]"},
                    Spoiled{"Lights", "/extensions/KHR_lights_punctual/lights/0", "1"}),
    [](const auto& param) { return param.param.name; });

TEST(References, ATextureThatDoesNotExistLeavesTheMaterial) {
    const test::TemporaryFolder folder;
    GltfBuilder b = fullDocument();
    b.document["materials"][0] = {
        {"pbrMetallicRoughness", {{"baseColorTexture", {{"index", 9}}}}},
        {"extensions", {{"KHR_materials_sheen", {{"sheenColorTexture", {{"index", 0}}}}}}}};
    b.document["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_0"] =
        b.addFloats({0, 0, 1, 0, 0, 1}, "VEC2");
    const auto scene = readGltf(b.write(folder.path(), "odd.glb"), noProgress());
    ASSERT_TRUE(scene) << describe(scene.error());
    const Material& material = scene->materials[0];
    EXPECT_EQ(material.texture("baseColorTexture"), -1);
    EXPECT_EQ(material.texture("sheenColorTexture"), 0);
    EXPECT_FALSE(material.source["pbrMetallicRoughness"].contains("baseColorTexture"));
}

TEST(References, CopiesWithStreamsOfUnequalLengthAreThoseThatAllTell) {
    const test::TemporaryFolder folder;
    GltfBuilder b;
    b.addTriangle();
    const int places = b.addFloats({0, 0, 0, 1, 0, 0, 2, 0, 0}, "VEC3");
    const int scales = b.addFloats({1, 1, 1, 2, 2, 2}, "VEC3");
    b.addNode({{"name", "row"},
               {"mesh", 0},
               {"extensions",
                {{"EXT_mesh_gpu_instancing",
                  {{"attributes", {{"TRANSLATION", places}, {"SCALE", scales}}}}}}}});
    const auto scene = readGltf(b.write(folder.path(), "odd.glb"), noProgress());
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->objects.size(), 2U);
    ASSERT_FALSE(scene->notes.empty());
    EXPECT_THAT(scene->notes[0].what, HasSubstr("2 to 3 values: 2 copies are placed"));
    ASSERT_TRUE(writeGltf(*scene, folder / "again.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "again.glb"), "");
}

TEST(References, ACopyThatIsNowhereLeavesTheOthersTheirNames) {
    const test::TemporaryFolder folder;
    GltfBuilder b;
    b.addTriangle();
    const int places = b.addFloats({0, 0, 0, std::nanf(""), 0, 0, 2, 0, 0}, "VEC3");
    b.addNode({{"name", "row"},
               {"mesh", 0},
               {"extensions",
                {{"EXT_mesh_gpu_instancing", {{"attributes", {{"TRANSLATION", places}}}}}}}});
    b.addNode({{"name", "last"}, {"mesh", 0}});
    const auto scene = readGltf(b.write(folder.path(), "odd.glb"), noProgress());
    ASSERT_TRUE(scene) << describe(scene.error());
    ASSERT_EQ(scene->objects.size(), 3U);
    for (std::uint32_t i = 0; i < 3; ++i) {
        EXPECT_EQ(scene->objects[i].origins, std::vector<std::uint32_t>{i});
        EXPECT_EQ((*scene->originNames)[i], scene->objects[i].name);
    }
    EXPECT_EQ(scene->objects[1].name, "row[2]");
    EXPECT_EQ(scene->nodes[0].instances.size(), 2U);
    ASSERT_TRUE(writeGltf(*scene, folder / "again.glb", {}, noProgress()));
    EXPECT_EQ(test::validatorErrors(folder / "again.glb"), "");
}

}  // namespace
}  // namespace flentro
