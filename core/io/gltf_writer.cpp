// Writing glTF: nodes keep their numbers; level nodes are added behind them.

#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <map>
#include <set>

#include "base/index.h"
#include "io/gltf.h"
#include "io/gltf_buffers.h"
#include "io/gltf_references.h"
#include "io/texture_sets.h"
#include "scene/own_extras.h"
#include "scene/references.h"

namespace flentro {
namespace {

namespace fs = std::filesystem;

constexpr double kAspect = 16.0 / 9;

/// What the objects of one node ask for: the farthest of its instances decides. Nodes outside the
/// default scene have no objects, and ask for nothing.
struct NodeCulling {
    Culling culling{0, 0, 0, 0};
    double scale = 0;
    bool castsShadow = false;
    bool placed = false;
};

class GltfWriter {
public:
    GltfWriter(const Scene& scene, const GltfWriteOptions& options)
        : scene_(scene), options_(options) {}

    Expected<Json> run(Progress& progress) {
        document_ = scene_.rest.is_object() ? scene_.rest : Json::object();
        const Json markers = jsonArray(document_, "extensionsUsed");
        document_.erase("extensionsUsed");
        document_.erase("extensionsRequired");
        document_["asset"]["version"] = "2.0";
        document_["asset"]["generator"] = "Flentro";
        writeNodes();
        progress.report(0.1, "Writing geometry");
        for (std::size_t i = 0; i < meshOrder_.size(); ++i) {
            if (progress.cancelled()) return stopped("Writing");
            document_["meshes"].push_back(writeMesh(meshOrder_[i]));
            progress.report(0.1 + 0.7 * static_cast<double>(i) / meshOrder_.size(),
                            "Writing geometry");
        }
        writeMaterials();
        writeSkins();
        writeAnimations();
        writeExtensionLists(markers);
        if (!buffers_.accessors().empty()) document_["accessors"] = buffers_.accessors();
        if (!buffers_.views().empty()) document_["bufferViews"] = buffers_.views();
        return std::move(document_);
    }

    [[nodiscard]] Bytes takeData() { return buffers_.takeData(); }

private:
    // --- meshes ---------------------------------------------------------------------------

    /// `top`: for a level, the mesh whose vertices it may share.
    int meshIndex(const MeshPtr& mesh, const std::string& name, const Mesh* top = nullptr) {
        const auto [at, isNew] =
            meshes_.try_emplace(mesh.get(), static_cast<int>(meshOrder_.size()));
        if (isNew) meshOrder_.push_back({mesh.get(), name, top});
        return at->second;
    }

    Json writeAttributes(const std::vector<Attribute>& attributes, const Part* top) {
        Json result = Json::object();
        for (const Attribute& attribute : attributes)
            result[attribute.semantic] = buffers_.addStream(
                *attribute.stream, GltfBuffers::Use::Vertex, attribute.semantic == "POSITION",
                top ? top->find(attribute.semantic) : nullptr);
        return result;
    }

    Json writePart(const Part& part, const Part* top) {
        Json primitive = part.rest.is_object() ? part.rest : Json::object();
        primitive["attributes"] = writeAttributes(part.attributes, top);
        primitive["indices"] = buffers_.addIndices(part.indices, part.vertexCount());
        if (part.mode != 4) primitive["mode"] = part.mode;
        if (part.material >= 0) primitive["material"] = part.material;
        for (const auto& target : part.targets)
            primitive["targets"].push_back(writeAttributes(target, nullptr));
        const auto noteQuantized = [&](const std::vector<Attribute>& attributes, bool target) {
            for (const Attribute& attribute : attributes)
                quantized_ = quantized_ || isQuantized(attribute, target);
        };
        noteQuantized(part.attributes, false);
        for (const auto& target : part.targets) noteQuantized(target, true);
        return primitive;
    }

    /// True for component types that need KHR_mesh_quantization.
    static bool isQuantized(const Attribute& attribute, bool target) {
        const Stream& stream = *attribute.stream;
        if (stream.type == ComponentType::Float32) return false;
        if (attribute.semantic.starts_with("TEXCOORD")) {
            const bool plain = stream.normalized && (stream.type == ComponentType::UInt8 ||
                                                     stream.type == ComponentType::UInt16);
            return target || !plain;
        }
        return attribute.semantic == "POSITION" || attribute.semantic == "NORMAL" ||
               attribute.semantic == "TANGENT";
    }

    struct Entry {
        const Mesh* mesh;
        std::string name;
        const Mesh* top;
    };

    Json writeMesh(const Entry& entry) {
        const Mesh& mesh = *entry.mesh;
        Json result = mesh.rest.is_object() ? mesh.rest : Json::object();
        result["name"] = entry.name;
        const bool sameParts = entry.top && entry.top->parts.size() == mesh.parts.size();
        for (std::size_t p = 0; p < mesh.parts.size(); ++p)
            if (!mesh.parts[p].indices.empty())
                result["primitives"].push_back(
                    writePart(mesh.parts[p], sameParts ? &entry.top->parts[p] : nullptr));
        return result;
    }

    static bool isDrawable(const Mesh& mesh) {
        for (const Part& part : mesh.parts)
            if (!part.indices.empty()) return true;
        return false;
    }

    // --- nodes ----------------------------------------------------------------------------

    void writeNodes() {
        collectCulling();
        collectAnimated();
        for (Json source : scene_.scenes) {
            if (jsonArray(source, "nodes").empty()) source.erase("nodes");
            document_["scenes"].push_back(std::move(source));
        }
        if (!scene_.scenes.empty()) document_["scene"] = scene_.defaultScene;
        nodes_ = Json::array();
        for (const Node& node : scene_.nodes) nodes_.push_back(writeNode(node));
        for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
            if (scene_.nodes[i].mesh >= 0) placeMesh(static_cast<int>(i));
        for (const Object& object : scene_.objects)
            if (object.culling.start > 0) placeStandIn(object);
        for (const PlacedLight& light : scene_.placedLights) noteDistance(light);
        if (!nodes_.empty()) document_["nodes"] = std::move(nodes_);
        if (!scene_.cameras.empty()) document_["cameras"] = scene_.cameras;
        for (const Light& light : scene_.lights)
            document_["extensions"]["KHR_lights_punctual"]["lights"].push_back(light.rest);
    }

    static Json writeNode(const Node& node) {
        Json result = node.rest.is_object() ? node.rest : Json::object();
        result["name"] = node.name;
        if (!node.children.empty()) result["children"] = node.children;
        if (node.camera >= 0) result["camera"] = node.camera;
        if (node.light >= 0) result["extensions"]["KHR_lights_punctual"]["light"] = node.light;
        return result;
    }

    /// Gives node `index` its mesh, levels and culling distances; through a child of its own
    /// where the node has other duties, so that changing levels cannot take them along.
    void placeMesh(int index) {
        const auto at = static_cast<std::size_t>(index);
        const Node& node = scene_.nodes[at];
        const Asset& asset = elementOf(scene_.assets, node.mesh);
        if (!isDrawable(*asset.mesh)) return;
        const bool levelled = !asset.ladder.empty() && options_.levels != LevelLayout::TopOnly;
        int holder = index;
        if (levelled && animated_[at] != Animated::Weights && hasOtherDuties(at)) {
            holder = addChild(index, Json{{"name", node.name}});
        }
        attachMesh(holder, node, meshIndex(asset.mesh, asset.mesh->name));
        if (!node.instanceNames.empty())
            if (Json* ours = oursIn(holder)) (*ours)["instances"] = node.instanceNames;
        noteCulling(holder, index);
        if (levelled) addLevels(holder, index, asset);
    }

    [[nodiscard]] bool hasOtherDuties(std::size_t node) const {
        const Node& source = scene_.nodes[node];
        return !source.children.empty() || source.camera >= 0 || source.light >= 0 ||
               animated_[node] != Animated::No;
    }

    int addChild(int parent, Json node) {
        nodes_.push_back(std::move(node));
        const int index = static_cast<int>(nodes_.size()) - 1;
        elementOf(nodes_, parent)["children"].push_back(index);
        return index;
    }

    void attachMesh(int index, const Node& source, int mesh) {
        Json& node = elementOf(nodes_, index);
        node["mesh"] = mesh;
        if (source.skin >= 0) node["skin"] = source.skin;
        if (source.instanceStreams.empty()) return;
        Json& attributes = node["extensions"]["EXT_mesh_gpu_instancing"]["attributes"];
        for (const Attribute& attribute : source.instanceStreams)
            attributes[attribute.semantic] =
                buffers_.addStream(*attribute.stream, GltfBuffers::Use::Animation, false);
    }

    Json* oursIn(int index) { return ownExtrasIn(elementOf(nodes_, index)); }

    void noteCulling(int holder, int index) {
        const NodeCulling& noted = elementOf(culling_, index);
        if (!noted.placed) return;
        const Culling& culling = noted.culling;
        Json ours = Json::object();
        if (std::isfinite(culling.end) && culling.end > 0)
            ours["culling"] = {{"fadeStart", culling.fadeStart}, {"end", culling.end}};
        if (std::isfinite(culling.shadowEnd) && noted.castsShadow)
            ours["shadowEnd"] = culling.shadowEnd;
        Json& node = elementOf(nodes_, holder);
        if (!noted.castsShadow && jsonOr(jsonObject(node, "extras"), "castsShadow", true) &&
            (!node.contains("extras") || node["extras"].is_object()))
            node["extras"]["castsShadow"] = false;
        if (ours.empty()) return;
        if (Json* extras = oursIn(holder)) extras->update(ours);
    }

    /// Where a light fades out, and how far its shadow is drawn.
    void noteDistance(const PlacedLight& light) {
        Json distances = Json::object();
        if (std::isfinite(light.end))
            distances = {{"fadeStart", light.fadeStart}, {"end", light.end}};
        if (light.castsShadow && std::isfinite(light.shadowEnd))
            distances["shadowEnd"] = light.shadowEnd;
        if (distances.empty()) return;
        if (Json* ours = oursIn(light.node)) (*ours)["light"] = std::move(distances);
    }

    /// A far stand-in is a lower level of the node above it, which holds what it stands for.
    void placeStandIn(const Object& object) {
        const int parent = elementOf(scene_.nodes, object.node).parent;
        if (Json* ours = oursIn(object.node))
            (*ours)["standIn"] = {{"start", object.culling.start}};
        if (parent < 0 || options_.levels == LevelLayout::NamedNodes) return;
        Json& holder = elementOf(nodes_, parent);
        Json children = Json::array();
        for (const Json& child : holder["children"])
            if (child != object.node) children.push_back(child);
        if (children.empty())
            holder.erase("children");
        else
            holder["children"] = std::move(children);
        if (options_.levels != LevelLayout::LodExtension) return;
        const Mesh& mesh = scene_.mesh(object);
        holder["extensions"]["MSFT_lod"]["ids"] = {object.node};
        if (holder.contains("extras") && !holder["extras"].is_object()) return;
        holder["extras"]["MSFT_screencoverage"] = {coverageAt(mesh, object.culling.start),
                                                   coverageAt(mesh, object.culling.end)};
    }

    void addLevels(int holder, int index, const Asset& asset) {
        const NodeCulling& noted = elementOf(culling_, index);
        const double scale = noted.placed ? std::max(1e-9, noted.scale) : 1;
        Json ids = Json::array();
        Json distances = Json::array();
        Json deviations = Json::array();
        Json coverage = Json::array();
        for (std::size_t i = 0; i < asset.ladder.levels.size(); ++i) {
            const Ladder::Level& level = asset.ladder.levels[i];
            ids.push_back(addLevelNode(holder, index, i, asset));
            distances.push_back(level.switchDistance);
            deviations.push_back(level.deviation);
            coverage.push_back(coverageAt(*asset.mesh, level.switchDistance));
        }
        if (Json* ours = oursIn(holder)) {
            Json& ladder = (*ours)["ladder"];
            ladder = {{"switchDistances", distances}, {"deviations", deviations}};
            if (asset.ladder.hysteresis > 0) ladder["hysteresis"] = asset.ladder.hysteresis;
            if (!asset.ladder.caps.empty()) ladder["caps"] = asset.ladder.caps;
            if (!asset.ladder.crowd.empty()) ladder["crowd"] = asset.ladder.crowd;
        }
        if (options_.levels != LevelLayout::LodExtension) return;
        coverage.push_back(noted.placed ? coverageAt(*asset.mesh, noted.culling.end / scale) : 0);
        Json& node = elementOf(nodes_, holder);
        node["extensions"]["MSFT_lod"]["ids"] = ids;
        if (!node.contains("extras") || node["extras"].is_object())
            node["extras"]["MSFT_screencoverage"] = coverage;
    }

    /// A node for one level, placed like the node that holds the mesh.
    int addLevelNode(int holder, int index, std::size_t level, const Asset& asset) {
        const Node& source = elementOf(scene_.nodes, index);
        Json node = Json::object();
        if (holder == index)
            for (const char* key : {"translation", "rotation", "scale", "matrix"})
                if (source.rest.contains(key)) node[key] = source.rest[key];
        node["name"] = fmt::format("{}_LOD{}", source.name, level + 1);
        nodes_.push_back(std::move(node));
        const int added = static_cast<int>(nodes_.size()) - 1;
        attachMesh(
            added, source,
            meshIndex(asset.ladder.levels[level].mesh,
                      fmt::format("{}_LOD{}", asset.mesh->name, level + 1), asset.mesh.get()));
        if (options_.levels == LevelLayout::NamedNodes) hangBeside(added, holder, index);
        return added;
    }

    void hangBeside(int added, int holder, int index) {
        const int parent = holder == index ? elementOf(scene_.nodes, index).parent : index;
        if (parent >= 0) {
            elementOf(nodes_, parent)["children"].push_back(added);
            return;
        }
        for (Json& root : document_["scenes"])
            for (const Json& node : jsonArray(root, "nodes"))
                if (node == index) {
                    root["nodes"].push_back(added);
                    break;
                }
    }

    /// Share of a 16:9 view that the mesh covers at a distance, both at scale 1; in (0, 1].
    [[nodiscard]] double coverageAt(const Mesh& mesh, double distance) const {
        if (!std::isfinite(distance) || mesh.bounds.isEmpty()) return 0;
        const double viewHeight = 2 * distance * std::tan(toRadians(options_.verticalFov) / 2);
        const double size = mesh.bounds.diagonal().norm() / std::max(viewHeight, 1e-9);
        return std::min(1.0, size * size / kAspect);
    }

    void collectCulling() {
        culling_.resize(scene_.nodes.size());
        for (const Object& object : scene_.objects) {
            NodeCulling& entry = elementOf(culling_, object.node);
            entry.placed = true;
            entry.scale = std::max(entry.scale, object.scale);
            const double shadowEnd = std::max(entry.culling.shadowEnd, object.culling.shadowEnd);
            if (object.culling.end > entry.culling.end) entry.culling = object.culling;
            entry.culling.shadowEnd = shadowEnd;
            entry.castsShadow = entry.castsShadow || object.castsShadow;
        }
    }

    void collectAnimated() {
        animated_.assign(scene_.nodes.size(), Animated::No);
        for (const Animation& animation : scene_.animations)
            for (const Json& channel : animation.channels) {
                const int node = animatedNode(channel);
                if (node < 0) continue;
                const bool weights =
                    jsonOr<std::string>(jsonObject(channel, "target"), "path", "") == "weights";
                Animated& entry = elementOf(animated_, node);
                if (weights || entry == Animated::No)
                    entry = weights ? Animated::Weights : Animated::Transform;
            }
    }

    // --- the rest -------------------------------------------------------------------------

    void writeMaterials() {
        for (const Material& material : scene_.materials)
            document_["materials"].push_back(material.source);
        for (const Sampler& sampler : scene_.samplers)
            document_["samplers"].push_back(sampler.rest.is_object() ? sampler.rest
                                                                     : Json::object());
        int written = 0;
        for (const Image& image : scene_.images)
            writtenImages_.push_back(isWritten(image) ? written++ : -1);
        for (const Texture& texture : scene_.textures)
            document_["textures"].push_back(write(texture));
        for (const Image& image : scene_.images)
            if (isWritten(image)) document_["images"].push_back(write(image));
    }

    [[nodiscard]] bool isWritten(const Image& image) const {
        return image.data || (options_.keepImagePaths && !image.uri.empty());
    }

    /// Images that are not written let the others move up.
    [[nodiscard]] int writtenImage(int index) const {
        return index < 0 ? -1 : elementOf(writtenImages_, index);
    }

    Json write(const Texture& texture) const {
        Json result = texture.rest.is_object() ? texture.rest : Json::object();
        if (!texture.name.empty()) result["name"] = texture.name;
        if (texture.sampler >= 0) result["sampler"] = texture.sampler;
        const int inFormat = writtenImage(texture.formatImage);
        if (inFormat >= 0) result["extensions"][texture.formatExtension]["source"] = inFormat;
        const int image = texture.image == texture.formatImage ? -1 : writtenImage(texture.image);
        if (image >= 0) result["source"] = image;
        return result;
    }

    Json write(const Image& image) {
        Json result = image.rest.is_object() ? image.rest : Json::object();
        result["name"] = image.name;
        if (!image.data) {
            result["uri"] = image.uri;
            return result;
        }
        result["mimeType"] = image.mime;
        result["bufferView"] = buffers_.addImage(image.hash, *image.data);
        return result;
    }

    void writeSkins() {
        for (const Skin& skin : scene_.skins) {
            Json result = skin.rest.is_object() ? skin.rest : Json::object();
            result["joints"] = skin.joints;
            if (skin.inverseBind)
                result["inverseBindMatrices"] =
                    buffers_.addStream(*skin.inverseBind, GltfBuffers::Use::Matrices, false);
            document_["skins"].push_back(std::move(result));
        }
    }

    void writeAnimations() {
        for (const Animation& animation : scene_.animations) {
            Json result = animation.rest.is_object() ? animation.rest : Json::object();
            if (!animation.name.empty()) result["name"] = animation.name;
            result["channels"] = animation.channels;
            for (const Animation::Sampler& sampler : animation.samplers) {
                Json written = sampler.rest;
                written["input"] = animationStream(sampler.input, true);
                written["output"] = animationStream(sampler.output, false);
                result["samplers"].push_back(std::move(written));
            }
            document_["animations"].push_back(std::move(result));
        }
    }

    int animationStream(int index, bool bounds) {
        return buffers_.addStream(*elementOf(scene_.streams, index), GltfBuffers::Use::Animation,
                                  bounds);
    }

    /// `markers`: names that the source lists without having objects of theirs.
    void writeExtensionLists(const Json& markers) {
        std::set<std::string> used = extensionNames(document_);
        for (const Json& name : markers) used.insert(name.get<std::string>());
        std::set<std::string> required;
        for (const Json& name : jsonArray(scene_.rest, "extensionsRequired"))
            if (name.is_string() && used.contains(name.get<std::string>())) required.insert(name);
        const bool instanced = std::any_of(
            scene_.nodes.begin(), scene_.nodes.end(),
            [](const Node& node) { return node.mesh >= 0 && !node.instanceNames.empty(); });
        if (instanced) required.insert("EXT_mesh_gpu_instancing");
        if (quantized_) {
            used.insert("KHR_mesh_quantization");
            required.insert("KHR_mesh_quantization");
        }
        if (!used.empty()) document_["extensionsUsed"] = used;
        if (!required.empty()) document_["extensionsRequired"] = required;
    }

    enum class Animated { No, Transform, Weights };

    const Scene& scene_;
    const GltfWriteOptions& options_;
    GltfBuffers buffers_;
    Json document_;
    Json nodes_;
    std::map<const Mesh*, int> meshes_;
    std::vector<Entry> meshOrder_;
    std::vector<NodeCulling> culling_;
    std::vector<Animated> animated_;
    std::vector<int> writtenImages_;  ///< [images] Index in the document, or -1.
    bool quantized_ = false;
};

void appendWord(Bytes& out, std::size_t value) {
    const auto word = static_cast<std::uint32_t>(value);
    const auto* bytes = reinterpret_cast<const std::byte*>(&word);
    out.insert(out.end(), bytes, bytes + 4);
}

Expected<GltfFiles> addGlb(const Json& document, Bytes data, const fs::path& path, FileSet& files) {
    std::string text = document.dump(-1, ' ', false, Json::error_handler_t::replace);
    text.resize((text.size() + 3) / 4 * 4, ' ');
    data.resize((data.size() + 3) / 4 * 4);
    const std::size_t total = 12 + 8 + text.size() + (data.empty() ? 0 : 8 + data.size());
    if (total > std::numeric_limits<std::uint32_t>::max())
        return fail(ErrorCode::Limit, "the result would exceed the 4 GiB of a .glb file",
                    path.string(), "Export as .gltf");
    Bytes out;
    out.reserve(total);
    for (const std::size_t value :
         {std::size_t{0x46546C67}, std::size_t{2}, total, text.size(), std::size_t{0x4E4F534A}})
        appendWord(out, value);
    const auto json = std::as_bytes(std::span(text));
    out.insert(out.end(), json.begin(), json.end());
    if (!data.empty()) {
        appendWord(out, data.size());
        appendWord(out, 0x004E4942);
        out.insert(out.end(), data.begin(), data.end());
    }
    if (auto added = files.add(path, out); !added) return tl::unexpected(added.error());
    return GltfFiles{out.size(), hashBytes(out), {}};
}

/// The buffer's file name: the document's, unless that holds another buffer now, which an older
/// document needs until it is replaced.
std::string bufferName(const fs::path& path, const Bytes& data) {
    std::string plain = path.stem().string() + ".bin";
    const fs::path there = path.parent_path() / plain;
    std::error_code error;
    if (!fs::exists(there, error)) return plain;
    const auto old = readFile(there);
    if (old && *old == data) return plain;
    return fmt::format("{}-{}.bin", path.stem().string(), toHex(hashBytes(data)).substr(0, 12));
}

/// True for the names that bufferName() gives.
bool isBufferName(const fs::path& path, const std::string& name) {
    constexpr std::size_t kDigits = 12;
    const std::string stem = path.stem().string();
    if (name == stem + ".bin") return true;
    if (name.size() != stem.size() + 1 + kDigits + 4 || !name.starts_with(stem + "-") ||
        !name.ends_with(".bin"))
        return false;
    return std::string_view(name)
               .substr(stem.size() + 1, kDigits)
               .find_first_not_of("0123456789abcdef") == std::string_view::npos;
}

/// Buffers that an older export of ours at `path` used, and the new one does not.
std::vector<fs::path> abandonedBuffers(const fs::path& path, const std::string& used) {
    std::vector<fs::path> abandoned;
    const auto text = readTextFile(path);
    if (!text) return abandoned;
    const auto old = parseJson(*text, "");
    if (!old || jsonOr<std::string>(jsonObject(*old, "asset"), "generator", "") != "Flentro")
        return abandoned;
    for (const Json& buffer : jsonArray(*old, "buffers")) {
        const auto file = resolveInside(path.parent_path(), jsonOr<std::string>(buffer, "uri", ""));
        if (!file || file->filename() == used) continue;
        if (isBufferName(path, file->filename().string())) abandoned.push_back(*file);
    }
    return abandoned;
}

Expected<GltfFiles> addSeparate(Json document, const Bytes& data, const fs::path& path,
                                FileSet& files) {
    std::string name;
    if (!data.empty()) {
        name = bufferName(path, data);
        document["buffers"][0]["uri"] = encodeUri(name);
        if (auto added = files.add(path.parent_path() / name, data); !added)
            return tl::unexpected(added.error());
    }
    const std::string text = document.dump(1, ' ', false, Json::error_handler_t::replace);
    if (auto added = files.add(path, text); !added) return tl::unexpected(added.error());
    return GltfFiles{data.size() + text.size(), hashBytes(std::as_bytes(std::span(text))),
                     abandonedBuffers(path, name)};
}

}  // namespace

Expected<GltfFiles> writeGltf(const Scene& scene, const fs::path& path,
                              const GltfWriteOptions& options, Progress& progress, FileSet& files) {
    Scene sound = scene;
    (void)bindPresentSets(sound);
    GltfWriter writer(sound, options);
    auto document = writer.run(progress);
    if (!document) return tl::unexpected(document.error());
    Bytes data = writer.takeData();
    if (!data.empty()) (*document)["buffers"] = {{{"byteLength", data.size()}}};
    progress.report(0.9, "Saving the file");
    return path.extension() == ".gltf" ? addSeparate(std::move(*document), data, path, files)
                                       : addGlb(*document, std::move(data), path, files);
}

Expected<void> writeGltf(const Scene& scene, const fs::path& path, const GltfWriteOptions& options,
                         Progress& progress) {
    FileSet files;
    auto written = writeGltf(scene, path, options, progress, files);
    if (!written) return tl::unexpected(written.error());
    if (auto done = files.commit(); !done) return done;
    std::error_code ignored;
    for (const fs::path& file : written->abandoned) fs::remove(file, ignored);
    progress.report(1, "Saved");
    return {};
}

}  // namespace flentro
