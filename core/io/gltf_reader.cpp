// Reading glTF: the document's own order, from buffers to scenes. Names follow the standard.

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <set>

#include "base/parallel.h"
#include "io/gltf.h"
#include "io/gltf_materials.h"
#include "io/gltf_meshes.h"
#include "io/gltf_nodes.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

constexpr std::uint32_t kGlbMagic = 0x46546C67;   // "glTF"
constexpr std::uint32_t kJsonChunk = 0x4E4F534A;  // "JSON"
constexpr std::uint32_t kBinChunk = 0x004E4942;   // "BIN\0"

/// The two chunks of a .glb (glTF 2.0, section 4.4), or the text of a .gltf.
struct Container {
    std::string_view json;
    std::span<const std::byte> binary;
};

std::uint32_t word(std::span<const std::byte> data, std::size_t at) {
    std::uint32_t value = 0;
    std::memcpy(&value, data.data() + at, sizeof value);
    return value;
}

Expected<Container> splitGlb(std::span<const std::byte> data) {
    const auto broken = [](const char* what) { return fail(ErrorCode::InvalidInput, what); };
    if (data.size() < 20) return broken("is truncated: shorter than a .glb header");
    if (word(data, 4) != 2)
        return fail(ErrorCode::Unsupported,
                    fmt::format("is glTF version {}, 2 is read", word(data, 4)));
    if (word(data, 8) > data.size())
        return broken("is truncated: the header announces more bytes than there are");
    Container result;
    std::size_t at = 12;
    while (at + 8 <= data.size()) {
        const std::size_t length = word(data, at);
        const std::uint32_t type = word(data, at + 4);
        if (length > data.size() - at - 8) return broken("is truncated: a chunk is cut off");
        const auto chunk = data.subspan(at + 8, length);
        if (type == kJsonChunk && result.json.empty())
            result.json = {reinterpret_cast<const char*>(chunk.data()), chunk.size()};
        if (type == kBinChunk && result.binary.empty()) result.binary = chunk;
        at += 8 + (length + 3) / 4 * 4;
    }
    if (result.json.empty()) return broken("has no JSON chunk");
    return result;
}

Expected<Container> split(std::span<const std::byte> data) {
    if (data.size() >= 4 && word(data, 0) == kGlbMagic) return splitGlb(data);
    return Container{{reinterpret_cast<const char*>(data.data()), data.size()}, {}};
}

Expected<void> checkDocument(const Json& document) {
    if (!document.is_object()) return fail(ErrorCode::InvalidInput, "is not a glTF document");
    const std::string version = jsonOr<std::string>(jsonObject(document, "asset"), "version", "");
    if (!version.starts_with("2."))
        return fail(ErrorCode::Unsupported, version.empty()
                                                ? "has no glTF version"
                                                : "is glTF " + version + ", 2.0 is read");
    static const std::set<std::string> known = {
        "KHR_lights_punctual",        "KHR_mesh_quantization",
        "KHR_draco_mesh_compression", "KHR_texture_transform",
        "KHR_materials_unlit",        "KHR_materials_emissive_strength",
        "EXT_mesh_gpu_instancing",    "MSFT_lod",
        "KHR_texture_basisu",         "EXT_texture_webp",
        "KHR_materials_variants"};
    for (const Json& name : jsonArray(document, "extensionsRequired")) {
        const std::string text = name.is_string() ? name.get<std::string>() : "";
        if (!known.contains(text) && !text.starts_with("KHR_materials_"))
            return fail(ErrorCode::Unsupported,
                        "requires the extension " + text + ", which is not read", {},
                        "Export the scene without it");
    }
    return {};
}

/// True if the value mentions binary data, whose indices would dangle after a round trip.
bool refersToBinary(const Json& value) {
    if (value.is_array()) return std::any_of(value.begin(), value.end(), refersToBinary);
    if (!value.is_object()) return false;
    for (const auto& [key, member] : value.items())
        if (key == "bufferView" || key == "accessor" || refersToBinary(member)) return true;
    return false;
}

/// Document members that we do not model.
void readRest(const Json& document, Scene& scene) {
    scene.rest = Json::object();
    for (const char* key : {"asset", "extras"})
        if (document.contains(key)) scene.rest[key] = document[key];
    for (const auto& [name, value] : jsonObject(document, "extensions").items()) {
        if (name == "KHR_lights_punctual") continue;
        if (refersToBinary(value))
            scene.notes.push_back(
                {"extension " + name, "left out: it refers to binary data that is not understood"});
        else
            scene.rest["extensions"][name] = value;
    }
    for (const char* key : {"extensionsUsed", "extensionsRequired"})
        if (document.contains(key)) scene.rest[key] = document[key];
}

Expected<Scene> readDocument(const Json& document, std::span<const std::byte> binary,
                             const fs::path& folder, Progress& progress) {
    if (auto sound = checkDocument(document); !sound) return tl::unexpected(sound.error());
    GltfAccessors accessors(document, binary, folder);
    if (auto loaded = accessors.loadBuffers(); !loaded) return tl::unexpected(loaded.error());
    Scene scene;
    scene.files = accessors.files();
    readRest(document, scene);
    readImages(document, accessors, folder, scene);
    readMaterials(document, scene);
    SubProgress geometry(progress, 0.1, 0.9);
    if (auto done = readMeshes(document, accessors, scene, geometry); !done)
        return tl::unexpected(done.error());
    if (auto done = readNodes(document, accessors, scene); !done)
        return tl::unexpected(done.error());
    flatten(scene);
    dropUnplaceable(scene);
    return scene;
}

}  // namespace

Expected<Scene> readGltf(const fs::path& path, Progress& progress, const fs::path& folder) {
    const auto inFile = [&](Error error) -> Expected<Scene> {
        error.where = path.filename().string() + (error.where.empty() ? "" : ": " + error.where);
        return tl::unexpected(std::move(error));
    };
    progress.report(0, "Reading the file");
    auto data = readFile(path);
    if (!data) return tl::unexpected(data.error());
    auto container = split(*data);
    if (!container) return inFile(container.error());
    auto document = parseJson(container->json, "");
    if (!document) return inFile(document.error());
    const fs::path base = folder.empty() ? path.parent_path() : folder;
    auto scene = readDocument(*document, container->binary, base, progress);
    if (!scene) return inFile(scene.error());
    scene->name = path.stem().string();
    scene->files.push_back(path);
    return scene;
}

}  // namespace flentro
