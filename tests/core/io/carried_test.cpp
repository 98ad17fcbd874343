// What files of other formats carry and what comes across, against the table of the documentation.

#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <map>
#include <sstream>

#include "base/text.h"
#include "data/trap_fixture.h"
#include "io/formats.h"
#include "io/open.h"

namespace flentro {
namespace {

// A ridge of two squares under 90 degrees, smooth as far as a format can say so, with colours at
// its vertices, and what else each format holds.

const char* const kObj =
    "v 0 0 0 1 0 0\nv 1 0 0 1 0 0\nv 1 0 1 0 1 0\nv 0 0 1 0 1 0\nv 0 1 0 0 0 1\nv 0 1 1 0 0 1\n"
    "vn -0.7071 0.7071 0\nvn 0 1 0\nvn -1 0 0\n"
    "f 1//1 4//1 3//2 2//2\nf 1//1 5//3 6//3 4//1\n";

const char* const kPly =
    "ply\nformat ascii 1.0\nelement vertex 6\nproperty float x\nproperty float y\n"
    "property float z\nproperty float nx\nproperty float ny\nproperty float nz\n"
    "property uchar red\nproperty uchar green\nproperty uchar blue\nelement face 2\n"
    "property list uchar int vertex_indices\nend_header\n"
    "0 0 0 -0.7071 0.7071 0 255 0 0\n1 0 0 0 1 0 255 0 0\n1 0 1 0 1 0 0 255 0\n"
    "0 0 1 -0.7071 0.7071 0 0 255 0\n0 1 0 -1 0 0 0 0 255\n0 1 1 -1 0 0 0 0 255\n"
    "4 0 3 2 1\n4 0 4 5 3\n";

const char* const kOff =
    "COFF\n6 2 0\n0 0 0 255 0 0 255\n1 0 0 255 0 0 255\n1 0 1 0 255 0 255\n0 0 1 0 255 0 255\n"
    "0 1 0 0 0 255 255\n0 1 1 0 0 255 255\n4 0 3 2 1\n4 0 4 5 3\n";

const char* const kStl =
    "solid t\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 1 0\nendloop\n"
    "endfacet\nendsolid t\n";

const char* const kAc3d =
    "AC3Db\nMATERIAL \"m\" rgb 1 1 1 amb 0 0 0 emis 0 0 0 spec 0 0 0 shi 10 trans 0\n"
    "OBJECT world\nkids 2\nOBJECT poly\nname \"ridge\"\ncrease 120\nnumvert 6\n0 0 0\n1 0 0\n"
    "1 0 1\n0 0 1\n0 1 0\n0 1 1\nnumsurf 2\nSURF 0x30\nmat 0\nrefs 4\n0 0 0\n3 0 1\n2 1 1\n"
    "1 1 0\nSURF 0x30\nmat 0\nrefs 4\n0 0 0\n4 0 1\n5 1 1\n3 1 0\nkids 0\n"
    "OBJECT light\nname \"lamp\"\nloc 0 3 0\nkids 0\n";

const char* const kX3d = R"(<?xml version="1.0"?><X3D profile="Interchange" version="3.0"><Scene>
<Viewpoint DEF="eye" position="0 1 5"/><PointLight DEF="lamp" location="0 3 0" radius="10"/>
<Transform><Shape DEF="ridge"><Appearance><Material diffuseColor="1 0 0"/></Appearance>
<IndexedFaceSet solid="false" creaseAngle="2" coordIndex="0 3 2 1 -1 0 4 5 3 -1">
<Coordinate point="0 0 0 1 0 0 1 0 1 0 0 1 0 1 0 0 1 1"/>
<Color color="1 0 0 1 0 0 0 1 0 0 1 0 0 0 1 0 0 1"/></IndexedFaceSet></Shape></Transform>
<Transform translation="5 0 0"><Shape USE="ridge"/></Transform>
<Switch whichChoice="-1"><Transform translation="9 0 0"><Shape USE="ridge"/></Transform></Switch>
</Scene></X3D>)";

const char* const kAmf = R"(<?xml version="1.0"?><amf unit="meter"><object id="1"><mesh><vertices>
<vertex><coordinates><x>0</x><y>0</y><z>0</z></coordinates><color><r>1</r><g>0</g><b>0</b></color>
</vertex><vertex><coordinates><x>1</x><y>0</y><z>0</z></coordinates>
<color><r>1</r><g>0</g><b>0</b></color></vertex>
<vertex><coordinates><x>0</x><y>1</y><z>0</z></coordinates><color><r>0</r><g>1</g><b>0</b></color>
</vertex></vertices><volume><triangle><v1>0</v1><v2>1</v2><v3>2</v3></triangle></volume></mesh>
</object><constellation id="2">
<instance objectid="1"><deltax>0</deltax><deltay>0</deltay><deltaz>0</deltaz></instance>
<instance objectid="1"><deltax>5</deltax><deltay>0</deltay><deltaz>0</deltaz></instance>
</constellation></amf>)";

const char* const kCollada = R"(<?xml version="1.0"?>
<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1">
<asset><unit meter="1" name="meter"/><up_axis>Y_UP</up_axis></asset>
<library_effects><effect id="e"><profile_COMMON><technique sid="t"><lambert><diffuse>
<color>1 0 0 1</color></diffuse></lambert></technique></profile_COMMON>
<extra><technique profile="GOOGLEEARTH"><double_sided>1</double_sided></technique></extra>
</effect></library_effects>
<library_materials><material id="m" name="m"><instance_effect url="#e"/></material></library_materials>
<library_geometries><geometry id="g" name="g"><mesh>
<source id="p"><float_array id="pa" count="9">0 0 0 1 0 0 0 1 0</float_array>
<technique_common><accessor source="#pa" count="3" stride="3"><param name="X" type="float"/>
<param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<source id="n"><float_array id="na" count="9">0.6 0 0.8 0 0 1 0 0 1</float_array>
<technique_common><accessor source="#na" count="3" stride="3"><param name="X" type="float"/>
<param name="Y" type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<triangles count="1" material="m"><input semantic="VERTEX" source="#v" offset="0"/>
<input semantic="NORMAL" source="#n" offset="0"/><p>0 1 2</p></triangles></mesh></geometry>
</library_geometries><library_visual_scenes><visual_scene id="s">
<node id="a" name="a"><instance_geometry url="#g"><bind_material><technique_common>
<instance_material symbol="m" target="#m"/></technique_common></bind_material></instance_geometry>
</node><node id="b" name="b"><translate>3 0 0</translate><instance_geometry url="#g"><bind_material>
<technique_common><instance_material symbol="m" target="#m"/></technique_common></bind_material>
</instance_geometry></node>
</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>)";

using Row = std::map<std::string, std::string>;

/// What of a scene came across.
Row observed(const Scene& scene) {
    const auto anyPart = [&](const char* semantic) {
        for (const Asset& asset : scene.assets)
            for (const Part& part : asset.mesh->parts)
                if (part.find(semantic)) return true;
        return false;
    };
    const bool madeNormals = std::any_of(
        scene.notes.begin(), scene.notes.end(),
        [](const Note& note) { return note.what.find("crease angle") != std::string::npos; });
    const bool twoSides = std::any_of(scene.materials.begin(), scene.materials.end(),
                                      [](const Material& m) { return m.doubleSided; });
    const auto said = [](bool is) { return is ? "yes" : "no"; };
    return {{"two sides", said(twoSides)},
            {"colours", said(anyPart("COLOR_0"))},
            {"normals", said(anyPart("NORMAL") && !madeNormals)},
            {"instances", said(scene.objects.size() > scene.assets.size())},
            {"lights", said(!scene.lights.empty())},
            {"cameras", said(!scene.cameras.empty())},
            {"skins", said(!scene.skins.empty())},
            {"clips", said(!scene.animations.empty())}};
}

class Carried : public test::TrapTest {
protected:
    static Scene open(const std::string& file) {
        OpenOptions options;
        options.importer = std::filesystem::path(FLENTRO_BIN_DIR) / "flentro-import";
        auto scene = openScene(*folder_ / file, options, noProgress());
        EXPECT_TRUE(scene) << file << ": " << (scene ? "" : describe(scene.error()));
        return scene ? std::move(*scene) : Scene{};
    }
};

/// The samples, by the names of their formats in the table.
const std::multimap<std::string, std::string> kSamples = {
    {"OBJ", "ridge.obj"},   {"PLY", "ridge.ply"},     {"OFF", "ridge.off"},
    {"STL", "ridge.stl"},   {"AC3D", "ridge.ac"},     {"X3D", "ridge.x3d"},
    {"AMF", "ridge.amf"},   {"COLLADA", "sides.dae"}, {"COLLADA", "figure.dae"},
    {"FBX", "figure.fbx"},  {"X", "figure.x"},        {"3DS", "figure.3ds"},
    {"3MF", "printed.3mf"}, {"DXF", "drawing.dxf"},   {"OpenGEX", "game.ogex"},
    {"IFC", "wall.ifc"}};

std::vector<std::string> cellsOf(const std::string& line) {
    std::vector<std::string> cells;
    std::istringstream stream(line.substr(1));
    for (std::string cell; std::getline(stream, cell, '|');) {
        const std::size_t begin = cell.find_first_not_of(' ');
        if (begin != std::string::npos)
            cells.push_back(cell.substr(begin, cell.find_last_not_of(' ') + 1 - begin));
    }
    return cells;
}

/// [formats][features] of the table in docs/formats.
std::map<std::string, Row> documented() {
    std::ifstream file(std::filesystem::path(FLENTRO_SOURCE_DIR) / "docs/formats/README.md");
    std::map<std::string, Row> table;
    std::vector<std::string> heads;
    for (std::string line; std::getline(file, line);) {
        if (line.starts_with("| carried |"))
            heads = cellsOf(line);
        else if (!line.starts_with("|"))
            heads.clear();
        if (heads.empty() || line.starts_with("|---")) continue;
        const std::vector<std::string> cells = cellsOf(line);
        for (std::size_t i = 1; i < cells.size() && i < heads.size(); ++i)
            if (cells[0] != heads[0]) table[cells[0]][heads[i]] = cells[i];
    }
    return table;
}

TEST_F(Carried, IsWhatTheDocumentationSays) {
    for (const auto& [name, text] : {std::pair("ridge.obj", kObj),
                                     {"ridge.ply", kPly},
                                     {"ridge.off", kOff},
                                     {"ridge.stl", kStl},
                                     {"ridge.ac", kAc3d},
                                     {"ridge.x3d", kX3d},
                                     {"ridge.amf", kAmf},
                                     {"sides.dae", kCollada}})
        test::writeText(*folder_ / name, text);
    std::map<std::string, Row> found;
    for (const auto& [format, file] : kSamples)
        for (const auto& [feature, is] : observed(open(file)))
            if (std::string& known = found[format][feature]; known != "yes") known = is;
    const std::map<std::string, Row> table = documented();
    for (const auto& [format, row] : found) {
        ASSERT_TRUE(table.contains(format)) << format;
        for (const auto& [feature, is] : row) {
            const std::string& said = table.at(format).at(feature);
            EXPECT_TRUE(said == "yes" || said == "lost" || said == "-" || said == "?") << said;
            EXPECT_EQ(said == "yes" ? "yes" : "no", is) << format << ": " << feature;
        }
    }
}

TEST_F(Carried, SidesAreReportedWhereTheyDiffer) {
    std::string mixed = kX3d;
    mixed.replace(mixed.find("<Transform translation"), 0,
                  "<Shape><IndexedFaceSet coordIndex='0 1 2 -1'><Coordinate point='0 0 9 1 0 9 0 1 "
                  "9'/></IndexedFaceSet></Shape>");
    test::writeText(*folder_ / "mixed.x3d", mixed);
    const Scene scene = open("mixed.x3d");
    EXPECT_TRUE(scene.materials.at(0).doubleSided);
    EXPECT_TRUE(std::any_of(scene.notes.begin(), scene.notes.end(), [](const Note& note) {
        return note.what.starts_with("1 of 2 shapes");
    }));
}

}  // namespace
}  // namespace flentro
