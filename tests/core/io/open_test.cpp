// Other formats, through the import process.

#include "io/open.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;
using testing::SizeIs;

OpenOptions ours() {
    OpenOptions options;
    options.importer = std::filesystem::path(FLENTRO_BIN_DIR) / "flentro-import";
    return options;
}

class Open : public testing::Test {
protected:
    Expected<Scene> open(const std::string& name, const std::string& text,
                         const OpenOptions& options = ours()) {
        test::writeText(folder_ / name, text);
        return openScene(folder_ / name, options, noProgress());
    }
    test::TemporaryFolder folder_;
};

const char* const kObj =
    "mtllib m.mtl\n"
    "v 0 0 0\nv 2 0 0\nv 2 2 0\nv 0 2 0\n"
    "usemtl red\nf 1 2 3\nusemtl rot\nf 1 3 4\n";

TEST_F(Open, ObjWithMaterialsThatAreEqualInValue) {
    test::writeText(folder_ / "m.mtl", "newmtl red\nKd 1 0 0\nnewmtl rot\nKd 1 0 0\n");
    const auto scene = open("quad.obj", kObj);
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->name, "quad");
    std::size_t triangles = 0;
    for (const Object& object : scene->objects) triangles += scene->mesh(object).triangles;
    EXPECT_EQ(triangles, 2U);
    std::size_t red = 0;
    for (const Material& material : scene->materials)
        red += material.baseColor.isApprox(Vec4f(1, 0, 0, 1));
    EXPECT_EQ(red, 1U) << "two names, one material";
    EXPECT_TRUE(scene->bounds().sizes().isApprox(Vec3d(2, 0, 2))) << "flat: lying on the ground";
}

TEST_F(Open, MaterialFilesOutsideAreNotRead) {
    const std::string secret = "newmtl hidden\nKd 0.25 0.5 0.75\n";
    std::filesystem::create_directory(folder_ / "in");
    test::writeText(folder_ / "secret.mtl", secret);
    std::filesystem::create_symlink(folder_ / "secret.mtl", folder_ / "in/link.mtl");
    for (const std::string& name : {std::string("../secret.mtl"), (folder_ / "secret.mtl").string(),
                                    std::string("link.mtl")}) {
        const auto scene = open("in/t.obj", "mtllib " + name +
                                                "\nv 0 0 0\nv 1 0 0\nv 0 0 1\nusemtl hidden\n"
                                                "f 1 3 2\n");
        ASSERT_TRUE(scene) << describe(scene.error());
        for (const Material& material : scene->materials)
            EXPECT_FALSE(material.baseColor.isApprox(Vec4f(0.25F, 0.5F, 0.75F, 1), 1e-3F)) << name;
        std::string notes;
        for (const Note& note : scene->notes) notes += note.where + ": " + note.what + "\n";
        EXPECT_THAT(notes, HasSubstr(name + ": leads outside the scene's folder")) << name;
        EXPECT_THAT(scene->files, SizeIs(1));
    }
}

TEST_F(Open, FilesThatWereReadAreNamed) {
    test::writeText(folder_ / "m.mtl", "newmtl red\nKd 1 0 0\nnewmtl rot\nKd 1 0 0\n");
    const auto scene = open("quad.obj", kObj);
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_THAT(scene->files,
                testing::UnorderedElementsAre(folder_ / "m.mtl", folder_ / "quad.obj"));
}

TEST_F(Open, ObjTextureIsFoundBesideItAndNotOutside) {
    test::writeText(folder_ / "m.mtl",
                    "newmtl red\nmap_Kd gone.png\nnewmtl rot\nmap_Kd ../../x.png\n");
    const auto scene = open("quad.obj",
                            "mtllib m.mtl\nv 0 0 0\nv 2 0 0\nv 2 2 0\nv 0 2 0\nvt 0 0\nvt 1 0\n"
                            "vt 1 1\nusemtl red\nf 1/1 2/2 3/3\nusemtl rot\nf 1/1 3/2 4/3\n");
    ASSERT_TRUE(scene) << describe(scene.error());
    ASSERT_THAT(scene->images, SizeIs(2));
    std::string notes;
    for (const Note& note : scene->notes) notes += note.what + "\n";
    EXPECT_THAT(notes, HasSubstr("leads outside"));
}

TEST_F(Open, Ply) {
    const auto scene =
        open("t.ply",
             "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n"
             "property float z\nelement face 1\nproperty list uchar int vertex_indices\n"
             "end_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n");
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->assets.at(0).mesh->triangles, 1U);
}

TEST_F(Open, Stl) {
    const auto scene = open("t.stl",
                            "solid t\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\n"
                            "vertex 1 0 0\nvertex 0 1 0\nendloop\nendfacet\nendsolid t\n");
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->assets.at(0).mesh->triangles, 1U);
}

TEST_F(Open, Collada) {
    const auto scene = open("t.dae", R"(<?xml version="1.0"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><unit meter="1" name="meter"/><up_axis>Y_UP</up_axis></asset>
<library_geometries><geometry id="g" name="g"><mesh>
<source id="p"><float_array id="pa" count="9">0 0 0 1 0 0 0 1 0</float_array>
<technique_common><accessor source="#pa" count="3" stride="3"><param name="X" type="float"/>
<param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<triangles count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2</p></triangles>
</mesh></geometry></library_geometries>
<library_visual_scenes><visual_scene id="s"><node id="n" name="n"><translate>0 0 7</translate>
<instance_geometry url="#g"/></node></visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#s"/></scene></COLLADA>)");
    ASSERT_TRUE(scene) << describe(scene.error());
    ASSERT_THAT(scene->objects, SizeIs(1));
    EXPECT_NEAR(scene->objects[0].bounds.min().z(), 7, 1e-6);
}

TEST_F(Open, Ac3d) {
    const auto scene =
        open("t.ac",
             "AC3Db\nMATERIAL \"m\" rgb 1 1 1 amb 0.2 0.2 0.2 emis 0 0 0 spec 0 0 0 shi 10 "
             "trans 0\nOBJECT world\nkids 1\nOBJECT poly\nname \"t\"\nnumvert 3\n0 0 0\n1 0 0\n"
             "0 1 0\nnumsurf 1\nSURF 0x10\nmat 0\nrefs 3\n0 0 0\n1 1 0\n2 0 1\nkids 0\n");
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->assets.at(0).mesh->triangles, 1U);
}

TEST_F(Open, DirectX) {
    const auto scene = open(
        "t.x", "xof 0303txt 0032\nMesh t {\n3;\n0;0;0;,\n1;0;0;,\n0;1;0;;\n1;\n3;0,1,2;;\n}\n");
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_EQ(scene->assets.at(0).mesh->triangles, 1U);
}

TEST_F(Open, BrokenFilesAreRefusedByName) {
    for (const char* name : {"bad.obj", "bad.ply", "bad.stl", "bad.dae", "bad.ac", "bad.x"}) {
        const auto scene = open(name, "this is no scene \x01\x02\xFF");
        ASSERT_FALSE(scene) << name;
        EXPECT_THAT(describe(scene.error()), HasSubstr(name));
    }
}

TEST_F(Open, ImporterOutOfMemoryIsReportedNotSuffered) {
    std::string text = kObj;
    for (int i = 0; i < 200'000; ++i) text += "v 1 2 3\nv 4 5 6\nf -1 -2 -3\n";
    OpenOptions tight = ours();
    tight.importMemory = std::size_t{60} << 20;
    const auto scene = open("large.obj", text, tight);
#if defined(__SANITIZE_ADDRESS__) || defined(__SANITIZE_THREAD__)
    GTEST_SKIP() << "sanitizers reserve address space, so the limit is off";
#endif
    ASSERT_FALSE(scene);
    EXPECT_THAT(describe(scene.error()), HasSubstr("large.obj"));
}

TEST_F(Open, CancellingEndsTheImporter) {
    std::string text;
    for (int i = 0; i < 300'000; ++i)
        text += "v 1 2 3\nv 4 5 6\nv 7 8 " + std::to_string(i) + "\nf -1 -2 -3\n";
    test::writeText(folder_ / "slow.obj", text);
    test::RecordingProgress stop(1);
    const auto scene = openScene(folder_ / "slow.obj", ours(), stop);
    ASSERT_FALSE(scene);
    EXPECT_EQ(scene.error().code, ErrorCode::Cancelled);
}

TEST_F(Open, UnknownEndingsAndMissingFilesAreExplained) {
    EXPECT_EQ(open("note.txt", "hello").error().code, ErrorCode::Unsupported);
    const auto missing = openScene(folder_ / "gone.obj", ours(), noProgress());
    EXPECT_EQ(missing.error().code, ErrorCode::NotFound);
}

TEST_F(Open, EndingsIgnoreCase) {
    EXPECT_TRUE(open("T.OBJ", "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"));
}

}  // namespace
}  // namespace flentro
