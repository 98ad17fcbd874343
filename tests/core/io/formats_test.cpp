// Formats by ending and by what files begin with.

#include "io/formats.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <set>

namespace flentro {
namespace {

std::string named(const SceneFormat* format) {
    return format ? format->name : "";
}

TEST(Formats, EveryEndingLeadsToOneFormat) {
    std::set<std::string> endings;
    for (const SceneFormat& format : sceneFormats())
        for (const char* ending : format.endings) {
            EXPECT_TRUE(endings.insert(ending).second) << ending;
            EXPECT_EQ(formatOfEnding(std::string("a/b") + ending), &format);
        }
    EXPECT_EQ(endings.count(".glb"), 1U);
}

TEST(Formats, TheCaseOfAnEndingDoesNotMatter) {
    EXPECT_EQ(named(formatOfEnding("Scene.GLB")), "glTF 2.0");
    EXPECT_EQ(named(formatOfEnding("part.StL")), "STL");
    EXPECT_EQ(formatOfEnding("notes.txt"), nullptr);
    EXPECT_EQ(formatOfEnding("glb"), nullptr) << "a name without an ending";
}

TEST(Formats, AreKnownByWhatTheyBeginWith) {
    EXPECT_EQ(named(formatOfContent(std::string_view("glTF\2\0\0\0", 8))), "glTF 2.0");
    EXPECT_EQ(named(formatOfContent("ply\nformat ascii 1.0")), "Stanford PLY");
    EXPECT_EQ(named(formatOfContent("OFF\n8 6 12")), "Object File Format");
    EXPECT_EQ(named(formatOfContent("Kaydara FBX Binary  ")), "FBX");
    EXPECT_EQ(named(formatOfContent("<?xml version=\"1.0\"?>\n<COLLADA xmlns=\"\">")), "COLLADA");
    EXPECT_EQ(named(formatOfContent("solid part\n  facet normal 0 0 1")), "STL");
    EXPECT_EQ(named(formatOfContent("{\"asset\": {\"version\": \"2.0\"}}")), "glTF 2.0");
    EXPECT_EQ(formatOfContent("v 0 0 0\nv 1 0 0"), nullptr) << "nothing marks it";
    EXPECT_EQ(formatOfContent(""), nullptr);
}

TEST(Formats, OldGltfIsToldFromTheNew) {
    EXPECT_TRUE(isOldGltf(std::string_view("glTF\1\0\0\0more", 12)));
    EXPECT_FALSE(isOldGltf(std::string_view("glTF\2\0\0\0more", 12)));
    EXPECT_FALSE(isOldGltf("glTF"));
    EXPECT_TRUE(isOldGltf(R"({"asset": {"version": "1.0"}})"));
    EXPECT_FALSE(isOldGltf(R"({"asset": {"generator": "v1", "version": "2.1"}})"));
    EXPECT_FALSE(isOldGltf(R"({"scenes": []})"));
}

TEST(Formats, AreListedForDialogs) {
    EXPECT_THAT(describeFormats(), testing::StartsWith("glTF 2.0 (.glb, .gltf), "));
    for (const SceneFormat& format : sceneFormats())
        EXPECT_THAT(describeFormats(), testing::HasSubstr(format.name));
}

}  // namespace
}  // namespace flentro
