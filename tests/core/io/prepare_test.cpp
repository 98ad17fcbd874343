// Files that the import library misreads as they are: each as small as shows it.

#include <fmt/format.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <minizip/zip.h>

#include "base/index.h"
#include "io/gltf.h"
#include "io/image.h"
#include "io/open.h"
#include "support/process.h"

namespace flentro {
namespace {

using testing::HasSubstr;
using testing::Not;
using testing::SizeIs;

class Prepared : public testing::Test {
protected:
    Prepared() {
        const std::vector<std::uint8_t> red = {255, 0, 0, 255, 0, 0};
        const auto png = encodePng(red.data(), 2, 1, 3);
        write("base.png", {reinterpret_cast<const char*>(png.data()), png.size()});
    }
    void write(const std::string& name, const std::string& text) {
        test::writeText(folder_ / name, text);
    }
    Expected<Scene> tryToOpen(const std::string& name) {
        OpenOptions options;
        options.importer = std::filesystem::path(FLENTRO_BIN_DIR) / "flentro-import";
        return openScene(folder_ / name, options, noProgress());
    }
    Scene open(const std::string& name, const std::string& text) {
        write(name, text);
        auto scene = tryToOpen(name);
        EXPECT_TRUE(scene) << (scene ? "" : describe(scene.error()));
        return scene ? std::move(*scene) : Scene{};
    }
    std::string errorOf(const std::string& name, const std::string& text) {
        write(name, text);
        const auto scene = tryToOpen(name);
        EXPECT_FALSE(scene);
        return scene ? "" : describe(scene.error());
    }
    /// What the validator says of it when it is written again.
    std::string exported(const Scene& scene) {
        EXPECT_TRUE(writeGltf(scene, folder_ / "out.glb", {}, noProgress()));
        return test::validatorErrors(folder_ / "out.glb");
    }
    static std::string notesOf(const Scene& scene) {
        std::string text;
        for (const Note& note : scene.notes) text += note.where + ": " + note.what + "\n";
        return text;
    }
    /// One file in a zip archive.
    void zip(const std::string& archive, const std::string& name, const std::string& text) {
        zipFile file = zipOpen64((folder_ / archive).c_str(), APPEND_STATUS_CREATE);
        ASSERT_TRUE(file);
        zipOpenNewFileInZip(file, name.c_str(), nullptr, nullptr, 0, nullptr, 0, nullptr,
                            Z_DEFLATED, Z_DEFAULT_COMPRESSION);
        zipWriteInFileInZip(file, text.data(), static_cast<unsigned>(text.size()));
        zipCloseFileInZip(file);
        zipClose(file, nullptr);
    }
    test::TemporaryFolder folder_;
};

/// A square with these lines for its textures, whose one surface has these flags.
std::string ac3d(const std::string& textures, const std::string& flags) {
    return "AC3Db\nMATERIAL \"paint\" rgb 1 1 1 amb 1 1 1 emis 0 0 0 spec 0 0 0 shi 1 trans 0\n"
           "OBJECT world\nkids 1\nOBJECT poly\nname \"road\"\n" +
           textures + "numvert 4\n0 0 0\n4 0 0\n4 0 4\n0 0 4\nnumsurf 1\nSURF " + flags +
           "\nmat 0\nrefs 4\n3 0 0\n2 1 0\n1 1 1\n0 0 1\nkids 0\n";
}

TEST_F(Prepared, Ac3dKeepsTheBaseOfItsLayers) {
    const Scene scene = open("layers.ac", ac3d("texture \"base.png\" base\n"
                                               "texture empty_texture_no_mapping skids\n"
                                               "texture \"shade.rgb\" tiled\n"
                                               "texture empty_texture_no_mapping shad\n",
                                               "0x00"));
    ASSERT_THAT(scene.images, SizeIs(1));
    EXPECT_EQ(scene.images[0].name, "base.png");
    EXPECT_TRUE(scene.images[0].data);
    EXPECT_THAT(notesOf(scene), HasSubstr("1 object with a further layer (tiled): left out"));
    EXPECT_THAT(notesOf(scene), Not(HasSubstr("ERROR")));
    EXPECT_FALSE(scene.materials.at(0).doubleSided);
}

TEST_F(Prepared, Ac3dFacesThatShowBothSides) {
    const Scene scene = open("both.ac", ac3d("texture \"base.png\"\n", "0x20"));
    ASSERT_EQ(scene.assets.at(0).mesh->parts.size(), 1U);
    const Material& shown = elementOf(scene.materials, scene.assets[0].mesh->parts[0].material);
    EXPECT_TRUE(shown.doubleSided);
    EXPECT_EQ(shown.name, "paint") << "and is called as before";
    EXPECT_GE(shown.texture("baseColorTexture"), 0);
}

TEST_F(Prepared, Ac3dTextIsNoTextureLine) {
    const Scene scene = open("data.ac", ac3d("data 16\ntexture \"x.png\"\n"
                                             "texture \"base.png\"\n",
                                             "0x00"));
    ASSERT_THAT(scene.images, SizeIs(1));
    EXPECT_EQ(scene.images[0].name, "base.png");
}

const char* const kCollada =
    "<?xml version=\"1.0\"?><COLLADA xmlns=\"http://www.collada.org/2005/11/COLLADASchema\" "
    "version=\"1.4.1\"><asset><unit meter=\"1\"/><up_axis>Y_UP</up_axis></asset><library_images>"
    "<image id=\"i\"><init_from>base.png</init_from></image></library_images><library_effects>"
    "<effect id=\"e\"><profile_COMMON><newparam sid=\"s\"><surface type=\"2D\"><init_from>i"
    "</init_from></surface></newparam><newparam sid=\"t\"><sampler2D><source>s</source>"
    "</sampler2D></newparam><technique sid=\"c\"><lambert><diffuse><texture texture=\"t\" "
    "texcoord=\"CHANNEL2\"/></diffuse></lambert></technique></profile_COMMON></effect>"
    "</library_effects><library_materials><material id=\"m\"><instance_effect url=\"#e\"/>"
    "</material></library_materials><library_geometries><geometry id=\"g\"><mesh><source id=\"p\">"
    "<float_array id=\"pa\" count=\"9\">0 0 0 1 0 0 0 0 -1</float_array><technique_common>"
    "<accessor source=\"#pa\" count=\"3\" stride=\"3\"><param name=\"X\" type=\"float\"/><param "
    "name=\"Y\" type=\"float\"/><param name=\"Z\" type=\"float\"/></accessor></technique_common>"
    "</source><source id=\"u\"><float_array id=\"ua\" count=\"6\">0 0 1 0 0 1</float_array>"
    "<technique_common><accessor source=\"#ua\" count=\"3\" stride=\"2\"><param name=\"S\" "
    "type=\"float\"/><param name=\"T\" type=\"float\"/></accessor></technique_common></source>"
    "<vertices id=\"v\"><input semantic=\"POSITION\" source=\"#p\"/></vertices><triangles "
    "material=\"x\" count=\"1\"><input semantic=\"VERTEX\" source=\"#v\" offset=\"0\"/><input "
    "semantic=\"TEXCOORD\" source=\"#u\" offset=\"0\" set=\"1\"/><p>0 1 2</p></triangles></mesh>"
    "</geometry></library_geometries><library_visual_scenes><visual_scene id=\"w\"><node id=\"n\">"
    "<instance_geometry url=\"#g\"><bind_material><technique_common><instance_material "
    "symbol=\"x\" target=\"#m\"><bind_vertex_input semantic=\"CHANNEL2\" "
    "input_semantic=\"TEXCOORD\" input_set=\"1\"/></instance_material></technique_common>"
    "</bind_material></instance_geometry></node></visual_scene></library_visual_scenes><scene>"
    "<instance_visual_scene url=\"#w\"/></scene></COLLADA>\n";

TEST_F(Prepared, TexturesBoundByNameUseTheSetThatIsThere) {
    const Scene scene = open("channel.dae", kCollada);
    ASSERT_THAT(scene.materials, SizeIs(1));
    ASSERT_THAT(scene.materials[0].textures, SizeIs(1));
    EXPECT_EQ(scene.materials[0].textures[0].texCoord, 0);
    EXPECT_EQ(exported(scene), "");
}

/// One material on a part with coordinates and on one without.
TEST_F(Prepared, PartsWithoutCoordinatesComeWithoutTheTexture) {
    write("some.mtl", "newmtl m\nKd 1 1 1\nmap_Kd base.png\n");
    const Scene scene = open("some.obj",
                             "mtllib some.mtl\nv 0 0 0\nv 1 0 0\nv 0 0 -1\nvt 0 0\nvt 1 0\n"
                             "vt 0 1\no with\nusemtl m\nf 1/1 2/2 3/3\no without\nf 3 2 1\n");
    EXPECT_THAT(notesOf(scene), HasSubstr("1 part without any texture coordinates"));
    std::size_t textured = 0;
    for (const Asset& asset : scene.assets)
        for (const Part& part : asset.mesh->parts) {
            const bool has = !elementOf(scene.materials, part.material).textures.empty();
            EXPECT_EQ(has, part.find("TEXCOORD_0") != nullptr);
            textured += has;
        }
    EXPECT_EQ(textured, 1U);
    EXPECT_EQ(exported(scene), "");
}

TEST_F(Prepared, AmfMayBeZipped) {
    const std::string amf =
        "<?xml version=\"1.0\"?>\n<amf unit=\"inch\"><object id=\"1\"><mesh><vertices>"
        "<vertex><coordinates><x>0</x><y>0</y><z>0</z></coordinates></vertex>"
        "<vertex><coordinates><x>10</x><y>0</y><z>0</z></coordinates></vertex>"
        "<vertex><coordinates><x>0</x><y>10</y><z>5</z></coordinates></vertex></vertices>"
        "<volume><triangle><v1>0</v1><v2>1</v2><v3>2</v3></triangle></volume></mesh></object>"
        "</amf>\n";
    zip("zipped.amf", "part.amf", amf);
    const auto scene = tryToOpen("zipped.amf");
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_TRUE(scene->bounds().sizes().isApprox(Vec3d(0.254, 0.127, 0.254), 1e-6));
    std::string odd = amf;
    odd.replace(odd.find("<x>10"), 5, "<x>ten");
    EXPECT_THAT(errorOf("odd.amf", odd), HasSubstr("line 2: 'ten' in <x> is no number"));
    zip("empty.amf", "readme.txt", "nothing");
    EXPECT_FALSE(tryToOpen("empty.amf"));
}

TEST_F(Prepared, ThreeMfSaysItsUnit) {
    // Without a model that can be read there is no scene; the unit is asked of a sound one.
    const std::string model =
        "<?xml version=\"1.0\"?>\n<model unit=\"centimeter\" "
        "xmlns=\"http://schemas.microsoft.com/3dmanufacturing/core/2015/02\"><resources>"
        "<object id=\"1\" type=\"model\"><mesh><vertices><vertex x=\"0\" y=\"0\" z=\"0\"/>"
        "<vertex x=\"9\" y=\"0\" z=\"0\"/><vertex x=\"0\" y=\"9\" z=\"3\"/></vertices><triangles>"
        "<triangle v1=\"0\" v2=\"1\" v3=\"2\"/></triangles></mesh></object></resources><build>"
        "<item objectid=\"1\"/></build></model>\n";
    zipFile file = zipOpen64((folder_ / "part.3mf").c_str(), APPEND_STATUS_CREATE);
    for (const auto& [name, text] :
         {std::pair<const char*, std::string>(
              "_rels/.rels",
              "<?xml version=\"1.0\"?>\n<Relationships "
              "xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">"
              "<Relationship Target=\"/3D/3dmodel.model\" Id=\"rel0\" "
              "Type=\"http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel\"/>"
              "</Relationships>\n"),
          std::pair<const char*, std::string>("3D/3dmodel.model", model)}) {
        zipOpenNewFileInZip(file, name, nullptr, nullptr, 0, nullptr, 0, nullptr, Z_DEFLATED, -1);
        zipWriteInFileInZip(file, text.data(), static_cast<unsigned>(text.size()));
        zipCloseFileInZip(file);
    }
    zipClose(file, nullptr);
    const auto scene = tryToOpen("part.3mf");
    ASSERT_TRUE(scene) << describe(scene.error());
    EXPECT_NEAR(scene->bounds().sizes().x(), 0.09, 1e-6);
    EXPECT_THAT(notesOf(*scene), Not(HasSubstr("does not say its unit")));
}

TEST_F(Prepared, CommentsOfObjFilesTellTheirUnit) {
    const char* const kFaces = "v 0 0 0\nv 4 0 0\nv 0 0 -4\nv 0 2 0\nf 1 2 3\nf 1 2 4\n";
    for (const auto& [comment, metres] :
         {std::pair("# File units = meters\n", 4.0), std::pair("# units: mm\n", 0.004),
          std::pair("#\n# Unit: inch\n", 0.1016)}) {
        const Scene scene = open("unit.obj", std::string(comment) + kFaces);
        EXPECT_NEAR(scene.bounds().sizes().x(), metres, 1e-6) << comment;
        EXPECT_THAT(notesOf(scene), Not(HasSubstr("does not say its unit"))) << comment;
    }
    EXPECT_THAT(notesOf(open("unit.obj", std::string("# a unit square\n") + kFaces)),
                HasSubstr("does not say its unit"));
}

TEST_F(Prepared, OffMayHaveComments) {
    const Scene scene = open("notes.off",
                             "OFF # one face\n# counts:\n3 1 0\n0 0 0 # first\n1 0 0\n"
                             "0 0 1\n3 0 2 1 # the face\n");
    EXPECT_EQ(scene.assets.at(0).mesh->triangles, 1U);
}

const std::string kWideFacet =
    "solid s\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 1 1 0\n"
    "vertex 0 1 0\nendloop\nendfacet\nendsolid s\n";

TEST_F(Prepared, StlFacetsOfFourCornersAreDivided) {
    const Scene scene = open("wide.stl", kWideFacet);
    EXPECT_EQ(scene.assets.at(0).mesh->triangles, 2U);
    EXPECT_THAT(notesOf(scene), HasSubstr("1 facet of more than three corners: divided"));
}

/// The normals of an STL file are of facets, also where they are wrong.
TEST_F(Prepared, StlNormalsThatMatchNoFaceAreNoShading) {
    const Scene scene = open("wrong.stl",
                             "solid s\nfacet normal 1 0 0\nouter loop\nvertex 0 0 0\nvertex 1 0 0\n"
                             "vertex 0 1 0\nendloop\nendfacet\nendsolid s\n");
    for (const Vec3f& normal : toVectors(*scene.assets.at(0).mesh->parts[0].find("NORMAL")))
        EXPECT_NEAR(std::fabs(normal.z()), 1, 1e-5);
}

std::string ply(const std::string& elements, const std::string& data) {
    return "ply\nformat ascii 1.0\n" + elements + "end_header\n" + data;
}
const std::string kPoint = "property float x\nproperty float y\nproperty float z\n";

TEST_F(Prepared, PlyHeadersAreHeldToTheirWord) {
    EXPECT_THAT(errorOf("points.ply", ply("element vertex 2\n" + kPoint, "0 0 0\n1 1 1\n")),
                HasSubstr("holds 2 points and no faces"));
    EXPECT_THAT(errorOf("bare.ply",
                        ply("element vertex 4000000000\nelement face 1\nproperty list uchar int "
                            "vertex_indices\n",
                            "3 0 1 2\n")),
                HasSubstr("4000000000 of 'vertex' without any property"));
    EXPECT_THAT(
        errorOf("short.ply", ply("element vertex 900000000\n" + kPoint +
                                     "element face 1\nproperty list uchar int vertex_indices\n",
                                 "0 0 0\n")),
        HasSubstr("ends early"));
    EXPECT_THAT(errorOf("odd.ply", ply("element vertex many\n", "")), HasSubstr("has no count"));
    EXPECT_THAT(errorOf("endless.ply", "ply\nformat ascii 1.0\nelement vertex 1\n"),
                HasSubstr("has no end"));
}

TEST_F(Prepared, LongPlyHeadersAreRead) {
    std::string comments;
    for (int i = 0; i < 4000; ++i) comments += "comment nothing of interest in this line\n";
    const Scene scene = open("long.ply", ply(comments + "element vertex 3\n" + kPoint +
                                                 "element face 1\nproperty list uchar int "
                                                 "vertex_indices\n",
                                             "0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n"));
    EXPECT_EQ(scene.assets.at(0).mesh->triangles, 1U);
}

TEST_F(Prepared, MissingImagesAreReportedByTheirShare) {
    write("gone.mtl", "newmtl a\nmap_Kd gone.png\nnewmtl b\nmap_Kd base.png\n");
    const Scene scene = open("gone.obj",
                             "mtllib gone.mtl\nv 0 0 0\nv 1 0 0\nv 0 0 -1\nv 1 0 -1\nvt 0 0\n"
                             "vt 1 0\nvt 0 1\nusemtl a\nf 1/1 2/2 3/3\nusemtl b\nf 2/1 4/2 3/3\n"
                             "f 4/1 2/2 1/3\nf 4/1 1/2 3/3\n");
    EXPECT_THAT(notesOf(scene), HasSubstr("25 % of all triangles are shown without a texture"));
}

/// A face of thousands of corners, which the library would divide for minutes.
TEST_F(Prepared, FacesOfVeryManyCorners) {
    constexpr int kCorners = 20'000;
    std::string text;
    std::string face = "f";
    for (int i = 0; i < kCorners; ++i) {
        const double angle = 2 * 3.14159265358979 * i / kCorners;
        const double radius = 1 + 0.3 * std::sin(20 * angle);
        text += fmt::format("v {} 0 {}\n", radius * std::cos(angle), -radius * std::sin(angle));
        face += fmt::format(" {}", i + 1);
    }
    const Scene scene = open("large.obj", text + face + "\n");
    EXPECT_EQ(scene.assets.at(0).mesh->triangles, static_cast<std::size_t>(kCorners - 2));
}

}  // namespace
}  // namespace flentro
