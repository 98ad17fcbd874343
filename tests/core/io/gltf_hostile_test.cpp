// Unsound glTF: a clear error naming file and object, or a note and the sound rest.

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <cmath>
#include <functional>
#include <random>

#include "io/gltf.h"
#include "io/image.h"
#include "support/gltf_builder.h"
#include "support/meshes.h"
#include "support/process.h"

namespace flentro {
namespace {

using test::GltfBuilder;
using testing::HasSubstr;
using testing::IsEmpty;
using testing::SizeIs;

struct Case {
    const char* name;
    std::function<void(GltfBuilder&)> spoil;
    const char* says;   ///< Part of the message.
    const char* where;  ///< Part of the place.
};

void PrintTo(const Case& c, std::ostream* out) {
    *out << c.name;
}

class Refused : public testing::TestWithParam<Case> {};

TEST_P(Refused, WithAMessageThatNamesFileAndObject) {
    const test::TemporaryFolder folder;
    GltfBuilder builder;
    builder.addTriangle();
    builder.addNode({{"name", "root"}, {"mesh", 0}});
    GetParam().spoil(builder);
    const auto scene = readGltf(builder.write(folder.path(), "bad.glb"), noProgress());
    ASSERT_FALSE(scene);
    EXPECT_THAT(describe(scene.error()), HasSubstr(GetParam().says));
    EXPECT_THAT(scene.error().where, HasSubstr("bad.glb"));
    EXPECT_THAT(scene.error().where, HasSubstr(GetParam().where));
}

const Case kRefused[] = {
    {"BufferShorterThanItSays",
     [](GltfBuilder& b) {
         b.document["buffers"] = {{{"byteLength", 1'000'000}}};
     },
     "truncated", "buffer 0"},
    {"BufferViewBeyondItsBuffer",
     [](GltfBuilder& b) { b.document["bufferViews"][0]["byteLength"] = 99'999; },
     "reaches beyond the end", "accessor 0"},
    {"BufferViewWithNegativeOffset",
     [](GltfBuilder& b) { b.document["bufferViews"][0]["byteOffset"] = -8; }, "reaches beyond",
     "accessor 0"},
    {"BufferViewThatOverflows",
     [](GltfBuilder& b) { b.document["bufferViews"][0]["byteOffset"] = 0xFFFFFFFFFFFFFF00ULL; },
     "reaches beyond", "accessor 0"},
    {"AccessorBeyondItsView", [](GltfBuilder& b) { b.document["accessors"][0]["count"] = 1000; },
     "reaches beyond the end", "accessor 0"},
    {"AccessorCountOfBillions",
     [](GltfBuilder& b) {
         b.document["accessors"][0].erase("bufferView");
         b.document["accessors"][0]["count"] = 4'000'000'000LL;
     },
     "of memory", "accessor 0"},
    {"AccessorWithFractionalCount",
     [](GltfBuilder& b) { b.document["accessors"][0]["count"] = 2.5; }, "wrong count",
     "accessor 0"},
    {"AccessorOfUnknownType",
     [](GltfBuilder& b) { b.document["accessors"][0]["componentType"] = 5124; }, "unknown type",
     "accessor 0"},
    {"AttributeThatDoesNotExist",
     [](GltfBuilder& b) { b.document["meshes"][0]["primitives"][0]["attributes"]["NORMAL"] = 77; },
     "is 77, which names none", "mesh 0"},
    {"IndicesThatAreFloats",
     [](GltfBuilder& b) { b.document["meshes"][0]["primitives"][0]["indices"] = 0; },
     "not unsigned integers", "mesh 0 'triangle'"},
    {"SparseIndexOutOfRange",
     [](GltfBuilder& b) {
         const std::uint16_t index = 9;
         const float value[3] = {0, 0, 0};
         b.document["accessors"][0]["sparse"] = {
             {"count", 1},
             {"indices", {{"bufferView", b.addView(&index, 2)}, {"componentType", 5123}}},
             {"values", {{"bufferView", b.addView(value, 12)}}}};
     },
     "sparse index out of range", "accessor 0"},
    {"CyclicNodes",
     [](GltfBuilder& b) {
         b.document["nodes"] = {{{"name", "a"}, {"children", {1}}},
                                {{"name", "b"}, {"children", {0}}}};
     },
     "its own ancestor", "node 0 'a'"},
    {"NodeThatIsItsOwnChild", [](GltfBuilder& b) { b.document["nodes"][0]["children"] = {0}; },
     "its own ancestor", "node 0"},
    {"NodeWithTwoParents",
     [](GltfBuilder& b) {
         b.document["nodes"] = {{{"children", {2}}}, {{"children", {2}}}, {{"name", "c"}}};
     },
     "two parents", "node 2"},
    {"ChildThatDoesNotExist", [](GltfBuilder& b) { b.document["nodes"][0]["children"] = {42}; },
     "is 42, which names none", "node 0 'root'"},
    {"JointThatDoesNotExist",
     [](GltfBuilder& b) {
         b.document["skins"] = {{{"joints", {9}}}};
     },
     "joint", "skin 0"},
    {"UnknownRequiredExtension",
     [](GltfBuilder& b) { b.document["extensionsRequired"] = {"ACME_magic"}; }, "ACME_magic", ""},
    {"WrongVersion", [](GltfBuilder& b) { b.document["asset"]["version"] = "1.0"; }, "glTF 1.0",
     ""},
    {"VersionAsANumber", [](GltfBuilder& b) { b.document["asset"]["version"] = 0.8; }, "glTF 0.8",
     ""},
    {"ListsThatWereObjectsOnce",
     [](GltfBuilder& b) {
         b.document.erase("asset");
         b.document["meshes"] = {{"crate", Json::object()}};
     },
     "before 2.0", ""},
    {"NoVersion", [](GltfBuilder& b) { b.document.erase("asset"); }, "no glTF version", ""},
    {"ForbiddenBufferPath",
     [](GltfBuilder& b) {
         b.document["buffers"] = {{{"byteLength", 4}, {"uri", "../../etc/passwd"}}};
     },
     "leads outside", "buffer 0"},
    {"AbsoluteBufferPath",
     [](GltfBuilder& b) {
         b.document["buffers"] = {{{"byteLength", 4}, {"uri", "/etc/passwd"}}};
     },
     "not relative", "buffer 0"},
    {"MissingBufferFile",
     [](GltfBuilder& b) {
         b.document["buffers"] = {{{"byteLength", 4}, {"uri", "gone.bin"}}};
     },
     "cannot be opened", "buffer 0"},
    {"BrokenDataUri",
     [](GltfBuilder& b) {
         b.document["buffers"] = {{{"byteLength", 4}, {"uri", "data:x;base64,%%%"}}};
     },
     "not base64", "buffer 0"},
    {"UnreadableCompression",
     [](GltfBuilder& b) {
         b.document["meshes"][0]["primitives"][0]["extensions"]["KHR_draco_mesh_compression"] = {
             {"bufferView", 0}, {"attributes", {{"POSITION", 0}}}};
     },
     "compressed geometry is broken", "mesh 0"},
    {"MeshoptCompression",
     [](GltfBuilder& b) {
         b.document["bufferViews"][0]["extensions"]["EXT_meshopt_compression"] = Json::object();
     },
     "EXT_meshopt_compression", "buffer view 0"},
    {"UnknownMode", [](GltfBuilder& b) { b.document["meshes"][0]["primitives"][0]["mode"] = 12; },
     "unknown mode", "mesh 0"},
};

INSTANTIATE_TEST_SUITE_P(Gltf, Refused, testing::ValuesIn(kRefused),
                         [](const auto& param) { return param.param.name; });

class Repaired : public testing::Test {
protected:
    Repaired() {
        builder_.addTriangle();
        builder_.addNode({{"name", "root"}, {"mesh", 0}});
    }
    Scene read() {
        auto scene = readGltf(builder_.write(folder_.path(), "odd.glb"), noProgress());
        EXPECT_TRUE(scene) << describe(scene.error());
        return scene ? std::move(*scene) : Scene{};
    }
    std::string notes(const Scene& scene) {
        std::string text;
        for (const Note& note : scene.notes) text += note.where + ": " + note.what + "\n";
        return text;
    }
    test::TemporaryFolder folder_;
    GltfBuilder builder_;
};

TEST_F(Repaired, TrianglesWithIndicesOutOfRangeAreLeftOut) {
    GltfBuilder other;
    other.addTriangle({0, 1, 2, 0, 1, 99});
    other.addNode({{"mesh", 0}});
    builder_ = other;
    const Scene scene = read();
    EXPECT_EQ(scene.assets[0].mesh->triangles, 1U);
    EXPECT_THAT(notes(scene),
                HasSubstr("mesh 0 'triangle': 1 triangle left out: an index is beyond"));
}

TEST_F(Repaired, PositionsThatAreNotNumbersTakeTheirTrianglesAlong) {
    const int positions = builder_.addFloats({0, 0, 0, 1, 0, 0, 0, 1, 0, std::nanf(""), 0, 0,
                                              std::numeric_limits<float>::infinity(), 0, 0},
                                             "VEC3");
    const int indices = builder_.addShorts({0, 1, 2, 0, 1, 3, 2, 1, 4});
    builder_.document["meshes"][0]["primitives"][0] = {{"attributes", {{"POSITION", positions}}},
                                                       {"indices", indices}};
    const Scene scene = read();
    EXPECT_EQ(scene.assets[0].mesh->triangles, 1U);
    EXPECT_TRUE(scene.assets[0].mesh->bounds.max().allFinite());
    EXPECT_THAT(notes(scene), HasSubstr("POSITION: 2 of 5 values repaired"));
}

TEST_F(Repaired, TextureCoordinatesAndNormalsAreMadeSound) {
    const int texCoords = builder_.addFloats({std::nanf(""), 0, 1, 0, 0, 1}, "VEC2");
    const int normals = builder_.addFloats({0, 0, 9, 0, 0, 0, 0, 0, 1}, "VEC3");
    auto& attributes = builder_.document["meshes"][0]["primitives"][0]["attributes"];
    attributes["TEXCOORD_0"] = texCoords;
    attributes["NORMAL"] = normals;
    const Scene scene = read();
    const Part& part = scene.assets[0].mesh->parts[0];
    EXPECT_FLOAT_EQ(part.find("TEXCOORD_0")->value(0, 0), 0);
    EXPECT_FLOAT_EQ(part.find("NORMAL")->value(0, 2), 1);
    EXPECT_NEAR(toVectors(*part.find("NORMAL"))[1].norm(), 1, 1e-6);
    EXPECT_THAT(notes(scene), HasSubstr("NORMAL: 2 of 3"));
}

TEST_F(Repaired, AttributesOfAnotherLengthAreLeftOut) {
    builder_.document["meshes"][0]["primitives"][0]["attributes"]["NORMAL"] =
        builder_.addFloats({0, 0, 1}, "VEC3");
    const Scene scene = read();
    EXPECT_EQ(scene.assets[0].mesh->parts[0].find("NORMAL"), nullptr);
    EXPECT_THAT(notes(scene), HasSubstr("another length"));
}

TEST_F(Repaired, MeshWithoutPositionsIsKeptEmpty) {
    builder_.document["meshes"][0]["primitives"][0]["attributes"] = Json::object();
    const Scene scene = read();
    EXPECT_EQ(scene.assets[0].mesh->triangles, 0U);
    EXPECT_THAT(notes(scene), HasSubstr("no positions"));
    EXPECT_TRUE(scene.objects[0].bounds.isEmpty());
}

TEST_F(Repaired, MaterialThatDoesNotExistBecomesTheDefault) {
    builder_.document["meshes"][0]["primitives"][0]["material"] = 5;
    const Scene scene = read();
    EXPECT_EQ(scene.assets[0].mesh->parts[0].material, -1);
    EXPECT_THAT(notes(scene), HasSubstr("'meshes.primitives.material' is 5"));
}

TEST_F(Repaired, ImagesThatAreMissingForbiddenOrBrokenAreNoted) {
    const char junk[] = "not a picture";
    builder_.document["images"] = {{{"uri", "gone.png"}},
                                   {{"uri", "../outside.png"}, {"name", "sneaky"}},
                                   {{"bufferView", builder_.addView(junk, sizeof junk)}},
                                   {{"bufferView", 77}}};
    builder_.document["textures"] = {{{"source", 0}}, {{"source", 99}}};
    const Scene scene = read();
    ASSERT_THAT(scene.images, SizeIs(4));
    for (const Image& image : scene.images) EXPECT_EQ(image.data, nullptr);
    EXPECT_EQ(scene.textures[1].image, -1);
    EXPECT_THAT(notes(scene), HasSubstr("image 1 'sneaky': left out: the path '../outside.png'"));
    EXPECT_THAT(notes(scene), HasSubstr("gone.png"));
}

TEST_F(Repaired, HugeImageIsCountedButNotDecoded) {
    // A PNG header that announces 60,000 x 60,000 pixels.
    const std::uint8_t header[] = {0x89, 'P', 'N', 'G', 13,  10, 26,   10,   0, 0, 0,    13,
                                   'I',  'H', 'D', 'R', 0,   0,  0xEA, 0x60, 0, 0, 0xEA, 0x60,
                                   8,    2,   0,   0,   0,   0,  0,    0,    0, 0, 0,    0,
                                   0,    'I', 'D', 'A', 'T', 0,  0,    0,    0};
    builder_.document["images"] = {{{"bufferView", builder_.addView(header, sizeof header)}}};
    const Scene scene = read();
    if (scene.images[0].data) {
        EXPECT_EQ(scene.images[0].width, 60'000);
        EXPECT_EQ(decodeImage(scene.images[0], 256).error().code, ErrorCode::Limit);
    } else {
        EXPECT_THAT(notes(scene), HasSubstr("image 0"));
    }
}

TEST_F(Repaired, InfiniteTransformLeavesTheObjectOut) {
    builder_.document["nodes"][0]["scale"] = {1e200, 1e200, 1e200};
    builder_.document["nodes"].push_back({{"children", {0}}, {"scale", {1e200, 1, 1}}});
    builder_.document["scenes"][0]["nodes"] = {1};
    const Scene scene = read();
    EXPECT_THAT(scene.objects, IsEmpty());
    EXPECT_THAT(notes(scene), HasSubstr("transform is not finite"));
}

TEST_F(Repaired, ExtensionWithForeignBinaryDataIsLeftOut) {
    builder_.document["extensions"]["ACME_sounds"] = {{"clips", {{{"bufferView", 0}}}}};
    builder_.document["extensions"]["ACME_words"] = {{"greeting", "hello"}};
    const Scene scene = read();
    EXPECT_FALSE(scene.rest["extensions"].contains("ACME_sounds"));
    EXPECT_EQ(scene.rest["extensions"]["ACME_words"]["greeting"], "hello");
    EXPECT_THAT(notes(scene), HasSubstr("ACME_sounds"));
}

TEST_F(Repaired, EmptySceneOpens) {
    builder_ = GltfBuilder();
    const Scene scene = read();
    EXPECT_THAT(scene.objects, IsEmpty());
    EXPECT_TRUE(scene.bounds().isEmpty());
}

/// What a group may claim to be its lower level, sensible or not.
class LevelOfAGroup : public testing::TestWithParam<Case> {};

TEST_P(LevelOfAGroup, IsReadWithoutHarm) {
    const test::TemporaryFolder folder;
    GltfBuilder builder;
    builder.addTriangle();
    builder.addNode({{"name", "group"}, {"children", {1}}});
    builder.addNode({{"name", "thing"}, {"mesh", 0}});
    builder.addNode({{"name", "far"}, {"mesh", 0}});
    builder.document["scenes"] = {{{"nodes", {0}}}};
    Json& group = builder.document["nodes"][0];
    group["extensions"]["MSFT_lod"]["ids"] = {2};
    GetParam().spoil(builder);
    const auto scene = readGltf(builder.write(folder.path(), "group.glb"), noProgress());
    ASSERT_TRUE(scene) << describe(scene.error());
    std::string shown;
    for (const Object& object : scene->objects) {
        shown += object.name + " ";
        EXPECT_GE(object.culling.start, 0);
        EXPECT_GE(object.culling.end, 0);
        EXPECT_LT(object.standIn, static_cast<int>(scene->objects.size()));
    }
    EXPECT_EQ(shown, GetParam().says);
    // And it can be written and read again.
    ASSERT_TRUE(writeGltf(*scene, folder / "again.glb", {}, noProgress()));
    const auto again = readGltf(folder / "again.glb", noProgress());
    ASSERT_TRUE(again) << describe(again.error());
    EXPECT_EQ(again->objects.size(), scene->objects.size());
}

Json& nodeOf(GltfBuilder& b, std::size_t index) {
    return b.document["nodes"][index];
}

const Case kLevels[] = {
    {"AsWritten", [](GltfBuilder&) {}, "thing far ", ""},
    {"ItsOwnChild", [](GltfBuilder& b) { nodeOf(b, 0)["extensions"]["MSFT_lod"]["ids"] = {1}; },
     "thing ", ""},
    {"Itself", [](GltfBuilder& b) { nodeOf(b, 0)["extensions"]["MSFT_lod"]["ids"] = {0}; },
     "thing ", ""},
    {"OutOfRange",
     [](GltfBuilder& b) {
         nodeOf(b, 0)["extensions"]["MSFT_lod"]["ids"] = {99, -3, "two"};
     },
     "thing ", ""},
    {"AlreadyInTheScene",
     [](GltfBuilder& b) {
         b.document["scenes"][0]["nodes"] = {0, 2};
     },
     "thing far ", ""},
    {"OfTwoGroups",
     [](GltfBuilder& b) {
         b.addNode({{"name", "other"}, {"extensions", {{"MSFT_lod", {{"ids", {2}}}}}}});
         b.document["scenes"][0]["nodes"] = {0, 3};
     },
     "thing far ", ""},
    {"WithoutAMesh", [](GltfBuilder& b) { nodeOf(b, 2).erase("mesh"); }, "thing ", ""},
    {"WithNegativeStart",
     [](GltfBuilder& b) { nodeOf(b, 2)["extras"]["flentro"]["standIn"]["start"] = -4; },
     "thing far ", ""},
    {"WithExtrasThatAreAText", [](GltfBuilder& b) { nodeOf(b, 2)["extras"] = "words"; }, "thing ",
     ""},
    {"WithCoverageThatIsNone",
     [](GltfBuilder& b) {
         nodeOf(b, 0)["extras"]["MSFT_screencoverage"] = {"much", nullptr, -1};
     },
     "thing far ", ""},
};
INSTANTIATE_TEST_SUITE_P(Hostile, LevelOfAGroup, testing::ValuesIn(kLevels),
                         [](const auto& level) { return std::string(level.param.name); });

TEST_F(Repaired, DistancesThatAreNoneAreNotRead) {
    Json& ours = builder_.document["nodes"][0]["extras"]["flentro"];
    for (const Json& bad : {Json(-5), Json("far"), Json(nullptr), Json::array({1})}) {
        ours = {{"culling", {{"end", bad}, {"fadeStart", bad}}}, {"shadowEnd", bad}};
        const Scene scene = read();
        ASSERT_THAT(scene.objects, SizeIs(1));
        EXPECT_EQ(scene.objects[0].culling, Culling()) << bad.dump();
    }
    ours = {{"culling", "none"}, {"standIn", 7}, {"instances", 3}};
    EXPECT_EQ(read().objects[0].culling, Culling());
}

TEST(Truncated, EveryPrefixOfAFileIsRefusedOrReadWithoutHarm) {
    const test::TemporaryFolder folder;
    GltfBuilder builder;
    builder.addTriangle();
    builder.addNode({{"mesh", 0}});
    const Bytes whole = builder.glb();
    for (std::size_t length = 0; length < whole.size(); length += 7) {
        ASSERT_TRUE(writeFileAtomic(folder / "cut.glb", std::span(whole).first(length)));
        const auto scene = readGltf(folder / "cut.glb", noProgress());
        ASSERT_FALSE(scene) << length;
        EXPECT_THAT(scene.error().where, HasSubstr("cut.glb"));
    }
}

TEST(Garbled, RandomBytesInTheFileNeverCrash) {
    const test::TemporaryFolder folder;
    GltfBuilder builder;
    builder.addTriangle();
    builder.addNode({{"mesh", 0}});
    const Bytes whole = builder.glb();
    std::mt19937 random(1);
    int refused = 0;
    for (int round = 0; round < 400; ++round) {
        Bytes spoiled = whole;
        for (int k = 0; k < 1 + round % 6; ++k)
            spoiled[random() % spoiled.size()] = static_cast<std::byte>(random());
        ASSERT_TRUE(writeFileAtomic(folder / "garbled.glb", spoiled));
        refused += !readGltf(folder / "garbled.glb", noProgress());
    }
    EXPECT_GT(refused, 100) << "most damage to the JSON must be noticed";
}

}  // namespace
}  // namespace flentro
