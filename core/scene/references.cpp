#include "scene/references.h"

#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <map>
#include <set>
#include <string_view>

#include "base/index.h"

namespace flentro {
namespace {

constexpr const char* kPointer = "KHR_animation_pointer";
constexpr const char* kVariants = "KHR_materials_variants";

/// Extensions of documents, scenes and nodes that hold no indices of what can move.
bool isKnown(const std::string& extension) {
    static const std::set<std::string> known = {kVariants, "KHR_lights_punctual", "KHR_xmp_json_ld",
                                                "KHR_node_visibility"};
    return known.contains(extension);
}

bool mayHoldIndices(const Json& value) {
    if (value.is_number_integer()) return true;
    if (value.is_string()) return value.get_ref<const std::string&>().starts_with('/');
    return std::any_of(value.begin(), value.end(), mayHoldIndices);
}

bool hasUnknown(const Json& object) {
    const Json& extensions = jsonObject(object, "extensions");
    for (const auto& [name, content] : extensions.items())
        if (!isKnown(name) && content.is_structured() && mayHoldIndices(content)) return true;
    return false;
}

int moved(const std::vector<int>& moves, int index) {
    if (moves.empty() || index < 0) return index;
    return static_cast<std::size_t>(index) < moves.size() ? elementOf(moves, index) : -1;
}

void move(const std::vector<int>& moves, int& index) {
    index = moved(moves, index);
}

/// "/nodes/3/translation" as its list, index and rest.
struct Pointer {
    std::string_view list;
    int index = -1;
    std::string_view rest;
};

Pointer parsePointer(std::string_view text) {
    Pointer pointer;
    if (!text.starts_with('/')) return pointer;
    const std::size_t slash = text.find('/', 1);
    if (slash == std::string_view::npos) return pointer;
    pointer.list = text.substr(1, slash - 1);
    const char* begin = text.data() + slash + 1;
    const auto [end, error] = std::from_chars(begin, text.data() + text.size(), pointer.index);
    if (error != std::errc()) return {};
    pointer.rest = text.substr(static_cast<std::size_t>(end - text.data()));
    return pointer;
}

std::string pointerOf(const Json& channel) {
    const Json& target = jsonObject(channel, "target");
    return jsonOr<std::string>(jsonObject(jsonObject(target, "extensions"), kPointer), "pointer",
                               "");
}

class Mover {
public:
    Mover(Scene& scene, const IndexMoves& moves) : scene_(scene), moves_(moves) {}

    void run() {
        moveNodes();
        moveSkins();
        moveAnimations();
        moveMaterials();
        for (Texture& texture : scene_.textures) {
            move(moves_.images, texture.image);
            move(moves_.images, texture.formatImage);
            move(moves_.samplers, texture.sampler);
        }
        leaveOutUnknown(scene_.rest, "the document");
        for (Json& source : scene_.scenes) leaveOutUnknown(source, "a scene");
    }

private:
    void moveNodes() {
        for (Node& node : scene_.nodes) {
            move(moves_.nodes, node.parent);
            for (int& child : node.children) move(moves_.nodes, child);
            std::erase(node.children, -1);
            move(moves_.skins, node.skin);
            leaveOutUnknown(node.rest, "node '" + node.name + "'");
        }
        for (Json& source : scene_.scenes) {
            Json roots = Json::array();
            for (const Json& root : jsonArray(source, "nodes"))
                if (const int to = moved(moves_.nodes, root.get<int>()); to >= 0)
                    roots.push_back(to);
            source["nodes"] = std::move(roots);
        }
        for (Object& object : scene_.objects) move(moves_.nodes, object.node);
        for (PlacedLight& light : scene_.placedLights) move(moves_.nodes, light.node);
    }

    void moveSkins() {
        for (Skin& skin : scene_.skins) {
            for (int& joint : skin.joints) move(moves_.nodes, joint);
            const int skeleton = moved(moves_.nodes, jsonOr(skin.rest, "skeleton", -1));
            if (skeleton >= 0)
                skin.rest["skeleton"] = skeleton;
            else if (skin.rest.is_object())
                skin.rest.erase("skeleton");
        }
    }

    void moveAnimations() {
        for (Animation& animation : scene_.animations) {
            Json kept = Json::array();
            for (Json& channel : animation.channels)
                if (moveChannel(channel)) kept.push_back(std::move(channel));
            animation.channels = std::move(kept);
        }
    }

    /// False if what it moves is gone.
    bool moveChannel(Json& channel) {
        if (jsonObject(channel, "target").contains("node")) {
            const int node = moved(moves_.nodes, jsonOr(channel["target"], "node", -1));
            if (node < 0) return false;
            channel["target"]["node"] = node;
        }
        const std::string text = pointerOf(channel);
        const Pointer pointer = parsePointer(text);
        if (pointer.index < 0) return true;
        const int to = pointer.list == "nodes"       ? moved(moves_.nodes, pointer.index)
                       : pointer.list == "materials" ? moved(moves_.materials, pointer.index)
                       : pointer.list == "textures"  ? moved(moves_.textures, pointer.index)
                                                     : pointer.index;
        if (to < 0) return false;
        channel["target"]["extensions"][kPointer]["pointer"] =
            "/" + std::string(pointer.list) + "/" + std::to_string(to) + std::string(pointer.rest);
        return true;
    }

    void moveMaterials() {
        if (!moves_.textures.empty())
            for (Material& material : scene_.materials) {
                for (TextureUse& use : material.textures) move(moves_.textures, use.texture);
                forEachTexture(material.source, [&](const std::string&, Json& use) {
                    use["index"] = moved(moves_.textures, jsonOr(use, "index", -1));
                });
            }
        if (moves_.materials.empty()) return;
        for (Asset& asset : scene_.assets) {
            asset.mesh = withMovedMaterials(asset.mesh);
            for (Ladder::Level& level : asset.ladder.levels)
                level.mesh = withMovedMaterials(level.mesh);
        }
    }

    /// Meshes are shared and do not change: a copy where one of its materials moves.
    MeshPtr withMovedMaterials(const MeshPtr& mesh) {
        if (const auto known = meshes_.find(mesh.get()); known != meshes_.end())
            return known->second;
        Mesh copy = *mesh;
        bool changed = false;
        for (Part& part : copy.parts) {
            const int to = moved(moves_.materials, part.material);
            changed = changed || to != part.material ||
                      jsonObject(part.rest, "extensions").contains(kVariants);
            part.material = to;
            moveVariants(part.rest);
        }
        return meshes_[mesh.get()] = changed ? finishMesh(std::move(copy)) : mesh;
    }

    void moveVariants(Json& rest) {
        if (!jsonObject(rest, "extensions").contains(kVariants)) return;
        Json& variants = rest["extensions"][kVariants];
        Json kept = Json::array();
        for (Json mapping : jsonArray(variants, "mappings")) {
            const int to = moved(moves_.materials, jsonOr(mapping, "material", -1));
            if (to < 0) continue;
            mapping["material"] = to;
            kept.push_back(std::move(mapping));
        }
        variants["mappings"] = std::move(kept);
    }

    void leaveOutUnknown(Json& object, const std::string& where) {
        if (!hasUnknown(object)) return;
        std::vector<std::string> names;
        for (const auto& [name, content] : object["extensions"].items())
            if (!isKnown(name) && content.is_structured() && mayHoldIndices(content))
                names.push_back(name);
        for (const std::string& name : names) {
            object["extensions"].erase(name);
            scene_.notes.push_back({fmt::format("extension {} of {}", name, where),
                                    "left out: it may refer to things that have moved"});
        }
        if (object["extensions"].empty()) object.erase("extensions");
    }

    Scene& scene_;
    const IndexMoves& moves_;
    std::map<const Mesh*, MeshPtr> meshes_;
};

}  // namespace

void moveReferences(Scene& scene, const IndexMoves& moves) {
    Mover(scene, moves).run();
}

bool hasUnknownReferences(const Scene& scene) {
    return hasUnknown(scene.rest) ||
           std::any_of(scene.scenes.begin(), scene.scenes.end(), hasUnknown) ||
           std::any_of(scene.nodes.begin(), scene.nodes.end(),
                       [](const Node& node) { return hasUnknown(node.rest); });
}

int animatedNode(const Json& channel) {
    const Json& target = jsonObject(channel, "target");
    if (target.contains("node")) return jsonOr(target, "node", -1);
    const std::string text = pointerOf(channel);
    const Pointer pointer = parsePointer(text);
    return pointer.list == "nodes" ? pointer.index : -1;
}

std::vector<bool> animatedMaterials(const Scene& scene) {
    std::vector<bool> animated(scene.materials.size(), false);
    for (const Animation& animation : scene.animations)
        for (const Json& channel : animation.channels) {
            const std::string text = pointerOf(channel);
            const Pointer pointer = parsePointer(text);
            if (pointer.list == "materials" && pointer.index >= 0 &&
                static_cast<std::size_t>(pointer.index) < animated.size())
                elementOf(animated, pointer.index) = true;
        }
    return animated;
}

}  // namespace flentro
