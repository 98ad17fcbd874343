#include "traps.h"
#include "base/index.h"

#include <fmt/format.h>
#include <assimp/Exporter.hpp>

#include <array>
#include <stdexcept>

#include "figure.h"
#include "io/file.h"
#include "io/image.h"

#if defined(__SANITIZE_ADDRESS__)
/// The library's own writers leak.
extern "C" const char* __lsan_default_suppressions() {
    return "leak:libassimp\n";
}
#endif

namespace flentro::test {
namespace {

namespace fs = std::filesystem;

void write(const fs::path& file, const std::string& text) {
    if (auto done = writeFileAtomic(file, text); !done) throw std::runtime_error(done.error().what);
}

/// Green, clear outside of a disc.
void writeLeaf(const fs::path& file) {
    constexpr int kEdge = 32;
    std::vector<std::uint8_t> pixels;
    for (int y = 0; y < kEdge; ++y)
        for (int x = 0; x < kEdge; ++x) {
            const int r = (x - 16) * (x - 16) + (y - 16) * (y - 16);
            pixels.insert(pixels.end(),
                          {40, 200, 40, static_cast<std::uint8_t>(r < 150 ? 255 : 0)});
        }
    const auto png = encodePng(pixels.data(), kEdge, kEdge, 4);
    write(file, {reinterpret_cast<const char*>(png.data()), png.size()});
}

void exportFigure(const fs::path& file, const char* writer, float scale = 1) {
    const auto figure = makeFigure();
    for (unsigned v = 0; v < figure->mMeshes[0]->mNumVertices; ++v)
        figure->mMeshes[0]->mVertices[v] *= scale;
    Assimp::Exporter exporter;
    if (exporter.Export(figure.get(), writer, file.string()) != aiReturn_SUCCESS)
        throw std::runtime_error(exporter.GetErrorString());
}

constexpr std::array<std::array<int, 4>, 6> kSides = {
    {{1, 2, 4, 3}, {5, 7, 8, 6}, {1, 5, 6, 2}, {3, 4, 8, 7}, {1, 3, 7, 5}, {2, 6, 8, 4}}};

/// Corners of a box at the origin: x fastest, then y, then z.
std::vector<Vec3d> corners(const Vec3d& size) {
    std::vector<Vec3d> result;
    for (int i = 0; i < 8; ++i)
        result.push_back(Vec3d((i & 1) * size.x(), (i >> 1 & 1) * size.y(), (i >> 2) * size.z()));
    return result;
}

std::string objBox(const Vec3d& size) {
    std::string text;
    for (const Vec3d& p : corners(size)) text += fmt::format("v {} {} {}\n", p.x(), p.y(), p.z());
    for (const auto& side : kSides)
        text += fmt::format("f {} {} {} {}\n", side[0], side[3], side[2], side[1]);
    return text;
}

std::string stlBox(const Vec3d& size) {
    const auto points = corners(size);
    std::string text = "solid box\n";
    for (const auto& side : kSides)
        for (const auto& t : {std::array{0, 3, 2}, std::array{0, 2, 1}}) {
            text += "facet normal 0 0 0\nouter loop\n";
            for (const int c : t) {
                const Vec3d& p = points[static_cast<std::size_t>(elementOf(side, c)) - 1];
                text += fmt::format("vertex {} {} {}\n", p.x(), p.y(), p.z());
            }
            text += "endloop\nendfacet\n";
        }
    return text + "endsolid box\n";
}

/// Ground of 100 x 100 with a house on it, Z up.
const char* const kTownZ =
    "v 0 0 0\nv 100 0 0\nv 100 100 0\nv 0 100 0\nf 1 2 3 4\n"
    "v 10 10 0\nv 20 10 0\nv 15 10 9\nf 5 6 7\n";

const char* const kAmf =
    "<?xml version=\"1.0\"?>\n<amf unit=\"inch\"><object id=\"1\"><mesh><vertices>"
    "<vertex><coordinates><x>0</x><y>0</y><z>0</z></coordinates></vertex>"
    "<vertex><coordinates><x>10</x><y>0</y><z>0</z></coordinates></vertex>"
    "<vertex><coordinates><x>0</x><y>10</y><z>0</z></coordinates></vertex>"
    "<vertex><coordinates><x>0</x><y>0</y><z>20</z></coordinates></vertex></vertices>"
    "<volume><triangle><v1>0</v1><v2>2</v2><v3>1</v3></triangle>"
    "<triangle><v1>0</v1><v2>1</v2><v3>3</v3></triangle></volume></mesh></object></amf>\n";

const char* const kX3d =
    "<?xml version=\"1.0\"?>\n<X3D version=\"3.3\"><Scene><Shape><Appearance><Material "
    "diffuseColor=\"1 0 0\"/></Appearance><IndexedFaceSet coordIndex=\"0 1 2 -1 0 2 3 -1\">"
    "<Coordinate point=\"0 0 0 2 0 0 2 3 0 0 3 0\"/></IndexedFaceSet></Shape></Scene></X3D>\n";

const char* const kDxf =
    "0\nSECTION\n2\nENTITIES\n0\n3DFACE\n8\n0\n10\n0\n20\n0\n30\n0\n11\n2\n21\n0\n31\n0\n12\n2\n22"
    "\n"
    "0\n32\n3\n13\n0\n23\n0\n33\n3\n0\nENDSEC\n0\nEOF\n";

const char* const kOff = "OFF\n4 2 0\n0 0 0\n1 0 0\n1 2 0\n0 2 0\n3 0 1 2\n3 0 2 3\n";

std::string acBox(const char* emission) {
    return fmt::format(
        "AC3Db\nMATERIAL \"m\" rgb 1 1 1 amb 1 1 1 emis {} spec 0 0 0 shi 10 trans 0\n"
        "OBJECT world\nkids 1\nOBJECT poly\nname \"t\"\ntexture \"leaf.png\"\nnumvert 4\n0 0 0\n"
        "1 0 0\n1 2 0\n0 2 0\nnumsurf 1\nSURF 0x10\nmat 0\nrefs 4\n0 0 0\n1 1 0\n2 1 1\n3 0 1\n"
        "kids 0\n",
        emission);
}

const char* const kPlyColours =
    "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\n"
    "property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"
    "element face 1\nproperty list uchar int vertex_indices\nend_header\n"
    "0 0 0 255 0 0\n1 0 0 0 255 0\n0 1 0 0 0 188\n3 0 1 2\n";

const char* const kOgex =
    "Metric (key = \"distance\") {float {1}}\nMetric (key = \"up\") {string {\"y\"}}\n"
    "GeometryNode $node1 {Name {string {\"t\"}} ObjectRef {ref {$geometry1}}}\n"
    "GeometryObject $geometry1 {Mesh (primitive = \"triangles\") {VertexArray (attrib = "
    "\"position\") {float[3] {{0, 0, 0}, {1, 0, 0}, {0, 2, 0}}} IndexArray {unsigned_int32[3] "
    "{{0, 1, 2}}}}}\n";

/// One wall of 2 x 3 m in millimetres, as a faceted shape.
const char* const kIfc =
    "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('w','2026-01-01T00:00:00',"
    "(''),(''),'','','');\nFILE_SCHEMA(('IFC2X3'));\nENDSEC;\nDATA;\n"
    "#1=IFCCARTESIANPOINT((0.,0.,0.));\n#2=IFCAXIS2PLACEMENT3D(#1,$,$);\n"
    "#3=IFCGEOMETRICREPRESENTATIONCONTEXT($,'Model',3,1.E-5,#2,$);\n"
    "#4=IFCSIUNIT(*,.LENGTHUNIT.,.MILLI.,.METRE.);\n#5=IFCUNITASSIGNMENT((#4));\n"
    "#6=IFCPROJECT('0000000000000000000001',#39,'p',$,$,$,$,(#3),#5);\n"
    "#7=IFCLOCALPLACEMENT($,#2);\n#30=IFCPERSON($,$,'n',$,$,$,$,$);\n"
    "#31=IFCORGANIZATION($,'o',$,$,$);\n#32=IFCPERSONANDORGANIZATION(#30,#31,$);\n"
    "#33=IFCAPPLICATION(#31,'1','a','a');\n"
    "#39=IFCOWNERHISTORY(#32,#33,$,.ADDED.,$,$,$,0);\n"
    "#10=IFCCARTESIANPOINT((0.,0.,0.));\n#11=IFCCARTESIANPOINT((2000.,0.,0.));\n"
    "#12=IFCCARTESIANPOINT((2000.,0.,3000.));\n#13=IFCCARTESIANPOINT((0.,0.,3000.));\n"
    "#14=IFCPOLYLOOP((#10,#11,#12,#13));\n#15=IFCFACEOUTERBOUND(#14,.T.);\n#16=IFCFACE((#15));\n"
    "#17=IFCCLOSEDSHELL((#16));\n#18=IFCFACETEDBREP(#17);\n"
    "#19=IFCSHAPEREPRESENTATION(#3,'Body','Brep',(#18));\n"
    "#20=IFCPRODUCTDEFINITIONSHAPE($,$,(#19));\n"
    "#21=IFCBUILDINGELEMENTPROXY('0000000000000000000002',#39,'wall',$,$,#7,#20,$,$);\n"
    "#22=IFCSITE('0000000000000000000003',#39,'s',$,$,#7,$,$,.ELEMENT.,$,$,$,$,$);\n"
    "#23=IFCRELAGGREGATES('0000000000000000000004',#39,$,$,#6,(#22));\n"
    "#24=IFCRELCONTAINEDINSPATIALSTRUCTURE('0000000000000000000005',#39,$,$,(#21),#22);\n"
    "ENDSEC;\nEND-ISO-10303-21;\n";

}  // namespace

std::vector<Trap> writeTraps(const fs::path& folder) {
    std::vector<Trap> traps;
    const auto add = [&](const char* file, const std::string& text, std::size_t triangles,
                         const Vec3d& size, const char* note) {
        write(folder / file, text);
        traps.push_back({file, triangles, size, note});
    };
    const auto addFigure = [&](const char* file, const char* writer, const char* note,
                               float scale = 1, Vec3d size = {1, 2, 1}) {
        exportFigure(folder / file, writer, scale);
        traps.push_back({file, 12, size, note});
    };
    writeLeaf(folder / "leaf.png");
    fs::create_directories(folder / "Textures");
    writeLeaf(folder / "Textures" / "Bark.PNG");

    addFigure("figure.dae", "collada", "brightness is a guess");
    addFigure("figure.fbx", "fbxa", "brightness is a guess", 100);
    addFigure("figure.x", "x", "cut out");
    addFigure("figure.obj", "obj", "cut out");
    addFigure("figure.3ds", "3ds", "cut out", 1, {1, 1, 2});  // Z up, as the format is
    addFigure("figure.ply", "ply", "crease angle");
    addFigure("old.gltf", "gltf", "");
    addFigure("printed.3mf", "3mf", "crease angle", 1000, {1, 1, 2});
    addFigure("unwelded.stl", "stlb", "taken for millimetres", 1000);

    add("engine.obj", objBox({744, 500, 400}), 12, {0.744, 0.5, 0.4}, "taken for millimetres");
    add("bolt.stl", stlBox({30, 20, 10}), 12, {0.03, 0.01, 0.02}, "taken for Z");
    add("town.obj", kTownZ, 3, {100, 9, 100}, "taken for Z");
    add("named-wrongly.ply", objBox({2, 3, 4}), 12, {2, 3, 4}, "taken for metres");
    fs::rename(folder / "named-wrongly.ply", folder / "named-wrongly.OBJ");
    traps.back().file = "named-wrongly.OBJ";
    add("stl-inside.obj", stlBox({30, 20, 10}), 12, {0.03, 0.01, 0.02}, "taken for millimetres");
    add("inch.amf", kAmf, 2, {0.254, 0.508, 0.254}, "crease angle");
    add("web.x3d", kX3d, 2, {2, 3, 0}, "crease angle");
    add("drawing.dxf", kDxf, 2, {2, 3, 0}, "taken for metres");
    add("plate.off", kOff, 2, {1, 0, 2}, "taken for metres");
    add("glow.ac", acBox("1 1 1"), 2, {1, 2, 0}, "cut out");
    add("plain.acc", acBox("0 0 0"), 2, {1, 2, 0}, "cut out");
    add("colours.ply", kPlyColours, 1, {1, 0, 1}, "crease angle");
    add("game.ogex", kOgex, 1, {1, 2, 0}, "crease angle");
    add("wall.ifc", kIfc, 2, {2, 3, 0}, "");
    add("dark.mtl",
        "newmtl a\nKd 0 0 0\nKa 1 1 1\nmap_Kd C:\\art\\TEXTURES\\bark.png\n"
        "newmtl b\nKd 1 1 1\nmap_Kd leaf.png\nmap_d leaf.png\nnewmtl c\nKd 1 0 0\nd 0.5\n",
        0, {0, 0, 0}, "");
    traps.pop_back();
    add("dark.obj",
        "mtllib dark.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 0 1\nvt 0 0\nvt 1 0\nvt 0 1\n"
        "usemtl a\nf 1/1 2/2 3/3\nusemtl b\nf 1/1 3/2 4/3\nusemtl c\nf 1/1 4/2 2/3\n",
        3, {1, 1, 1}, "found as Textures/Bark.PNG");
    add("empty-group.obj", "o nothing\no something\nv 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n", 1,
        {1, 0, 1}, "taken for Z");
    add("dots.obj", "v 0 0 0\nv 1 0 0\nv 0 1 0\nv 5 5 5\nf 1 2 3\nl 1 2 3\np 4\n", 1, {5, 5, 5},
        "points or lines");
    return traps;
}

}  // namespace flentro::test
