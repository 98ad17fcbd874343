#include "io/formats.h"

#include <algorithm>
#include <array>
#include <cctype>
#include <cstring>

#include "base/text.h"

namespace flentro {
namespace {

const SceneFormat* named(std::string_view ending) {
    for (const SceneFormat& format : sceneFormats())
        for (const char* each : format.endings)
            if (ending == each) return &format;
    return nullptr;
}

/// What files of a format begin with, or hold within their first kilobyte.
struct Mark {
    const char* ending;
    std::string_view text;
    bool atStart;
};
constexpr std::array kMarks = {
    Mark{".glb", "glTF", true},
    Mark{".ply", "ply\n", true},
    Mark{".ply", "ply\r", true},
    Mark{".off", "off\n", true},
    Mark{".off", "off\r", true},
    Mark{".ac", "ac3d", true},
    Mark{".x", "xof 0", true},
    Mark{".ifc", "iso-10303-21", true},
    Mark{".fbx", "kaydara fbx binary", true},
    Mark{".fbx", "fbxheaderextension", false},
    Mark{".dae", "<collada", false},
    Mark{".x3d", "<x3d", false},
    Mark{".amf", "<amf", false},
    Mark{".stl", "facet normal", false},
    Mark{".gltf", "\"asset\"", false},
    Mark{".ogex", "metric (key", false},
};

}  // namespace

const std::vector<SceneFormat>& sceneFormats() {
    static const std::vector<SceneFormat> formats = {
        {"glTF 2.0", {".glb", ".gltf"}, "m", false, 'Y', true},
        {"Wavefront OBJ", {".obj"}, "", false, 'Y', false},
        {"Stanford PLY", {".ply"}, "", false, 'Y', false},
        {"STL", {".stl"}, "", true, 'Z', false},
        {"COLLADA", {".dae"}, "m", false, 'Y', true},
        {"FBX", {".fbx"}, "", false, 'Y', true},
        {"X3D", {".x3d"}, "m", false, 'Y', true},
        {"3MF", {".3mf"}, "", true, 'Z', true},
        {"AMF", {".amf"}, "", true, 'Z', true},
        {"IFC", {".ifc"}, "m", false, 'Y', true},
        {"Object File Format", {".off"}, "", false, 'Y', false},
        {"AC3D", {".ac", ".acc"}, "", false, 'Y', true},
        {"DirectX X", {".x"}, "", false, 'Y', true},
        {"3D Studio", {".3ds"}, "", false, 'Y', true},
        {"DXF", {".dxf"}, "", false, 'Y', true},
        {"OpenGEX", {".ogex"}, "", false, 'Y', true},
    };
    return formats;
}

const SceneFormat* formatOfContent(std::string_view beginning) {
    const std::string lower = lowerCase(beginning.substr(0, 4096));
    for (const Mark& mark : kMarks) {
        const bool found = mark.atStart ? lower.starts_with(lowerCase(mark.text))
                                        : lower.find(mark.text) != std::string::npos;
        if (found) return named(mark.ending);
    }
    return nullptr;
}

const SceneFormat* formatOfEnding(const std::filesystem::path& path) {
    return named(lowerCase(path.extension().string()));
}

std::string describeFormats() {
    std::string text;
    for (const SceneFormat& format : sceneFormats()) {
        text += text.empty() ? "" : ", ";
        text += format.name;
        for (const char* ending : format.endings)
            text += std::string(ending == format.endings.front() ? " (" : ", ") + ending;
        text += ")";
    }
    return text;
}

bool isOldGltf(std::string_view beginning) {
    if (beginning.starts_with("glTF"))
        return beginning.size() >= 8 && beginning.substr(4, 4) == std::string_view("\1\0\0\0", 4);
    const std::size_t asset = beginning.find("\"asset\"");
    const std::size_t version = beginning.find("\"version\"", asset);
    if (asset == std::string_view::npos || version == std::string_view::npos) return false;
    const std::size_t digit = beginning.find_first_of("0123456789", version);
    return digit != std::string_view::npos && digit < version + 16 && beginning[digit] == '1';
}

}  // namespace flentro
