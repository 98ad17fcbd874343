#include "support/gltf_builder.h"

#include <cstring>
#include <fstream>

namespace flentro::test {
namespace {

void appendWord(Bytes& out, std::size_t value) {
    const auto word = static_cast<std::uint32_t>(value);
    const auto* bytes = reinterpret_cast<const std::byte*>(&word);
    out.insert(out.end(), bytes, bytes + 4);
}

}  // namespace

GltfBuilder::GltfBuilder() {
    document = {{"asset", {{"version", "2.0"}}},
                {"scene", 0},
                {"scenes", {{{"nodes", Json::array()}}}},
                {"nodes", Json::array()},
                {"meshes", Json::array()},
                {"accessors", Json::array()},
                {"bufferViews", Json::array()}};
}

int GltfBuilder::addView(const void* bytes, std::size_t size) {
    data.resize((data.size() + 3) / 4 * 4);
    document["bufferViews"].push_back(
        {{"buffer", 0}, {"byteOffset", data.size()}, {"byteLength", size}});
    const auto* from = static_cast<const std::byte*>(bytes);
    data.insert(data.end(), from, from + size);
    return static_cast<int>(document["bufferViews"].size()) - 1;
}

int GltfBuilder::addFloats(const std::vector<float>& values, const char* type) {
    const std::size_t width = type[0] == 'S' ? 1 : static_cast<std::size_t>(type[3] - '0');
    document["accessors"].push_back({{"bufferView", addView(values.data(), values.size() * 4)},
                                     {"componentType", 5126},
                                     {"count", values.size() / width},
                                     {"type", type}});
    return static_cast<int>(document["accessors"].size()) - 1;
}

int GltfBuilder::addShorts(const std::vector<std::uint16_t>& values, const char* type) {
    document["accessors"].push_back({{"bufferView", addView(values.data(), values.size() * 2)},
                                     {"componentType", 5123},
                                     {"count", values.size()},
                                     {"type", type}});
    return static_cast<int>(document["accessors"].size()) - 1;
}

int GltfBuilder::addTriangle(const std::vector<std::uint16_t>& indices) {
    const int positions = addFloats({0, 0, 0, 1, 0, 0, 0, 1, 0}, "VEC3");
    document["accessors"].back()["min"] = {0, 0, 0};
    document["accessors"].back()["max"] = {1, 1, 0};
    const int corners = addShorts(indices);
    document["meshes"].push_back(
        {{"name", "triangle"},
         {"primitives", {{{"attributes", {{"POSITION", positions}}}, {"indices", corners}}}}});
    return static_cast<int>(document["meshes"].size()) - 1;
}

int GltfBuilder::addNode(Json node) {
    document["nodes"].push_back(std::move(node));
    const int index = static_cast<int>(document["nodes"].size()) - 1;
    document["scenes"][0]["nodes"].push_back(index);
    return index;
}

Bytes GltfBuilder::glb() const {
    Json whole = document;
    if (!data.empty() && !whole.contains("buffers"))
        whole["buffers"] = {{{"byteLength", data.size()}}};
    std::string text = whole.dump();
    text.resize((text.size() + 3) / 4 * 4, ' ');
    Bytes binary = data;
    binary.resize((binary.size() + 3) / 4 * 4);
    Bytes out;
    for (const std::size_t value : {std::size_t{0x46546C67}, std::size_t{2},
                                    20 + text.size() + (binary.empty() ? 0 : 8 + binary.size()),
                                    text.size(), std::size_t{0x4E4F534A}})
        appendWord(out, value);
    const auto json = std::as_bytes(std::span(text));
    out.insert(out.end(), json.begin(), json.end());
    if (binary.empty()) return out;
    appendWord(out, binary.size());
    appendWord(out, 0x004E4942);
    out.insert(out.end(), binary.begin(), binary.end());
    return out;
}

std::filesystem::path GltfBuilder::write(const std::filesystem::path& folder,
                                         const std::string& name) const {
    const std::filesystem::path path = folder / name;
    std::ofstream file(path, std::ios::binary);
    if (path.extension() == ".gltf") {
        Json whole = document;
        whole["buffers"] = {{{"byteLength", data.size()},
                             {"uri", "data:application/octet-stream;base64," + toBase64(data)}}};
        file << whole.dump();
    } else {
        const Bytes bytes = glb();
        file.write(reinterpret_cast<const char*>(bytes.data()),
                   static_cast<std::streamsize>(bytes.size()));
    }
    return path;
}

std::string toBase64(const Bytes& data) {
    static constexpr char kDigits[] =
        "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    for (std::size_t i = 0; i < data.size(); i += 3) {
        std::uint32_t bits = 0;
        for (std::size_t k = 0; k < 3; ++k)
            bits =
                bits << 8 | (i + k < data.size() ? std::to_integer<std::uint32_t>(data[i + k]) : 0);
        for (std::size_t k = 0; k < 4; ++k)
            text += i + k > data.size() ? '=' : kDigits[bits >> (18 - 6 * k) & 63];
    }
    return text;
}

}  // namespace flentro::test
