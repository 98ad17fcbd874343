// Reading glTF: the document's own order, from buffers to scenes. Names follow the standard.

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <set>

#include "base/index.h"
#include "base/text.h"
#include "io/gltf.h"
#include "io/gltf_materials.h"
#include "io/gltf_meshes.h"
#include "io/gltf_nodes.h"
#include "io/gltf_references.h"
#include "io/texture_sets.h"
#include "scene/own_extras.h"

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

/// Memory that a parsed text takes, at the most: its letters, and each value's node.
std::size_t parsedBytes(std::string_view json) {
    constexpr std::size_t kValue = 64;
    const auto values = std::count_if(json.begin(), json.end(),
                                      [](char c) { return c == ',' || c == '[' || c == '{'; });
    return json.size() + kValue * static_cast<std::size_t>(values);
}

Expected<Container> split(std::span<const std::byte> data) {
    if (data.size() >= 4 && word(data, 0) == kGlbMagic) return splitGlb(data);
    return Container{{reinterpret_cast<const char*>(data.data()), data.size()}, {}};
}

/// What the document says of its version; numbers as well as texts, as old ones have it.
std::string versionOf(const Json& document) {
    const Json& asset = jsonObject(document, "asset");
    if (!asset.contains("version")) return "";
    const Json& version = asset["version"];
    return version.is_string() ? version.get<std::string>() : version.dump();
}

Expected<void> checkVersion(const Json& document) {
    const std::string version = versionOf(document);
    if (version.starts_with("2.")) return {};
    constexpr const char* kHint = "Convert it to glTF 2.0 in the program that made it";
    // Before 2.0 what is a list today was an object of names; 0.8 had no version yet.
    if (version.empty() && document.contains("meshes") && document["meshes"].is_object())
        return fail(ErrorCode::Unsupported, "is glTF of a version before 2.0, 2.0 is read", {},
                    kHint);
    if (version.empty())
        return fail(ErrorCode::Unsupported,
                    "has no glTF version (asset.version): it is no glTF document", {});
    return fail(ErrorCode::Unsupported, "is glTF " + version + ", 2.0 is read", {}, kHint);
}

Expected<void> checkDocument(const Json& document) {
    if (!document.is_object()) return fail(ErrorCode::InvalidInput, "is not a glTF document");
    if (auto sound = checkVersion(document); !sound) return sound;
    static const std::set<std::string> known = {
        "KHR_lights_punctual",        "KHR_mesh_quantization",
        "KHR_draco_mesh_compression", "KHR_texture_transform",
        "KHR_materials_unlit",        "KHR_materials_emissive_strength",
        "EXT_mesh_gpu_instancing",    "MSFT_lod",
        "KHR_texture_basisu",         "EXT_texture_webp",
        "KHR_materials_variants",     "KHR_animation_pointer",
        "EXT_meshopt_compression"};
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

/// Names in extensionsUsed that stand for themselves: the document has no object of theirs.
void keepMarkers(const Json& document, Json& rest) {
    static const std::set<std::string> decoded = {
        "KHR_mesh_quantization", "KHR_draco_mesh_compression", "EXT_meshopt_compression"};
    const std::set<std::string> withObject = extensionNames(document);
    Json markers = Json::array();
    for (const Json& name : jsonArray(document, "extensionsUsed"))
        if (name.is_string() && !decoded.contains(name.get<std::string>()) &&
            !withObject.contains(name.get<std::string>()))
            markers.push_back(name);
    rest["extensionsUsed"] = std::move(markers);
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
    if (document.contains("extensionsRequired"))
        scene.rest["extensionsRequired"] = document["extensionsRequired"];
    keepMarkers(document, scene.rest);
    scene.shadowLightsAtOnce = std::max(0, jsonOr(ownExtras(scene.rest), "shadowLightsAtOnce", 0));
}

void noteTextureSets(const TextureSetRepair& repair, Scene& scene) {
    if (repair.rebound > 0)
        scene.notes.push_back({"textures", counted(repair.rebound, "part") +
                                               " with textures by coordinates that are not there: "
                                               "those that are there are used"});
    if (repair.dropped > 0)
        scene.notes.push_back({"textures", counted(repair.dropped, "part") +
                                               " without any texture coordinates: without "
                                               "the textures of their materials"});
}

/// What is not what it seems at first sight.
void noteOddities(Scene& scene) {
    const auto unseen =
        std::count_if(scene.textures.begin(), scene.textures.end(), [&](const Texture& texture) {
            return texture.image >= 0 &&
                   elementOf(scene.images, texture.image).mime == "image/ktx2";
        });
    if (unseen > 0)
        scene.notes.push_back({"textures", counted(static_cast<std::size_t>(unseen), "texture") +
                                               " in KTX 2.0 alone: kept and counted, not shown"});
    if (scene.objects.empty())
        scene.notes.push_back({"scene", scene.assets.empty()
                                            ? "is empty: it holds no meshes"
                                            : "shows nothing: no node of it has a mesh"});
    for (const Asset& asset : scene.assets) {
        std::size_t points = 0;
        std::size_t lines = 0;
        for (const Part& part : asset.mesh->parts) {
            points += part.mode == 0;
            lines += part.mode == 1;
        }
        if (points + lines > 0)
            scene.notes.push_back(
                {"mesh '" + asset.mesh->name + "'",
                 fmt::format(
                     "{} of its {} are points or lines: kept, but neither counted nor drawn",
                     points + lines, counted(asset.mesh->parts.size(), "part"))});
    }
}

Expected<Scene> readDocument(Json& document, std::span<const std::byte> binary,
                             const fs::path& folder, MemoryBudget& memory, Progress& progress) {
    if (auto sound = checkDocument(document); !sound) return tl::unexpected(sound.error());
    Scene scene;
    if (auto sound = checkReferences(document, scene.notes); !sound)
        return tl::unexpected(sound.error());
    GltfAccessors accessors(document, binary, folder, memory);
    if (auto loaded = accessors.loadBuffers(); !loaded) return tl::unexpected(loaded.error());
    scene.files = accessors.files();
    readRest(document, scene);
    readImages(document, accessors, folder, scene);
    readMaterials(document, scene);
    SubProgress geometry(progress, 0.1, 0.9);
    if (auto done = readMeshes(document, accessors, scene, geometry); !done)
        return tl::unexpected(done.error());
    noteTextureSets(bindPresentSets(scene), scene);
    if (auto done = readNodes(document, accessors, scene); !done)
        return tl::unexpected(done.error());
    if (auto done = placeObjects(scene, memory); !done) return tl::unexpected(done.error());
    noteOddities(scene);
    return scene;
}

}  // namespace

Expected<Scene> readGltf(const fs::path& path, Progress& progress, const GltfReadOptions& options) {
    const auto inFile = [&](Error error) -> Expected<Scene> {
        error.where = path.filename().string() + (error.where.empty() ? "" : ": " + error.where);
        return tl::unexpected(std::move(error));
    };
    progress.report(0, "Reading the file");
    MemoryBudget memory(options.memory);
    if (auto fits = memory.takeFile(path, ""); !fits) return inFile(fits.error());
    auto data = readFile(path);
    if (!data) return tl::unexpected(data.error());
    auto container = split(*data);
    if (!container) return inFile(container.error());
    if (auto fits = memory.take(parsedBytes(container->json), "the document"); !fits)
        return inFile(fits.error());
    auto document = parseJson(container->json, "");
    if (!document) return inFile(document.error());
    const fs::path base = options.folder.empty() ? path.parent_path() : options.folder;
    auto scene = readDocument(*document, container->binary, base, memory, progress);
    if (!scene) return inFile(scene.error());
    scene->name = path.stem().string();
    scene->files.push_back(path);
    return scene;
}

}  // namespace flentro
