#include "io/gltf_references.h"

#include <fmt/format.h>

#include <algorithm>
#include <optional>
#include <string_view>

#include "io/gltf_accessors.h"
#include "io/gltf_materials.h"

namespace flentro {
namespace {

using Policy = DanglingPolicy;

constexpr const char* kLists[] = {"accessors", "animations", "buffers", "bufferViews", "cameras",
                                  "images",    "materials",  "meshes",  "nodes",       "samplers",
                                  "scenes",    "skins",      "textures"};

/// Lists of objects inside the elements of these.
constexpr const char* kInnerLists[] = {"animations[].channels",
                                       "animations[].samplers",
                                       "meshes[].primitives",
                                       "meshes[].primitives[].targets",
                                       "extensions.KHR_lights_punctual.lights",
                                       "extensions.KHR_materials_variants.variants"};

/// Members that are objects where they are there.
constexpr const char* kObjects[] = {"asset",
                                    "extensions",
                                    "extensions.KHR_lights_punctual",
                                    "extensions.KHR_materials_variants",
                                    "animations[].channels[].target",
                                    "accessors[].sparse",
                                    "materials[].pbrMetallicRoughness",
                                    "meshes[].primitives[].attributes"};

/// "a[].b" as "a", "[]", "b".
std::vector<std::string> stepsOf(std::string_view path) {
    std::vector<std::string> steps;
    while (!path.empty()) {
        const std::size_t end = std::min(path.find('.'), path.size());
        std::string_view step = path.substr(0, end);
        std::vector<std::string> brackets;
        for (; step.ends_with("[]"); step.remove_suffix(2)) brackets.emplace_back("[]");
        if (!step.empty()) steps.emplace_back(step);
        steps.insert(steps.end(), brackets.begin(), brackets.end());
        path.remove_prefix(std::min(end + 1, path.size()));
    }
    return steps;
}

/// What is found at the end of a path.
struct Found {
    Json* value = nullptr;
    const Json* outermost = nullptr;  ///< The element of a list of the document.
    std::string where;                ///< "node 3 'crate'", "extensions", ...
};

/// Answer of a visit: the value stays, or it goes, or the element around it goes.
enum class Keep { Yes, NotMember, NotElement };

const char* singular(const std::string& list) {
    static const std::vector<std::pair<std::string, const char*>> names = {
        {"accessors", "accessor"},      {"animations", "animation"}, {"buffers", "buffer"},
        {"bufferViews", "buffer view"}, {"cameras", "camera"},       {"images", "image"},
        {"materials", "material"},      {"meshes", "mesh"},          {"nodes", "node"},
        {"samplers", "sampler"},        {"scenes", "scene"},         {"skins", "skin"},
        {"textures", "texture"}};
    for (const auto& [plural, name] : names)
        if (plural == list) return name;
    return "entry";
}

/// Walks one path and asks `visit` at each end of it; values that are not there are passed over.
template <typename Visit>
class Walk {
public:
    Walk(const char* path, const Visit& visit) : steps_(stepsOf(path)), visit_(visit) {}
    void run(Json& document) { (void)go(document, 0, {}); }

private:
    Keep go(Json& at, std::size_t step, const Found& so) {
        if (step == steps_.size()) {
            Found found = so;
            found.value = &at;
            return visit_(found);
        }
        if (steps_[step] == "[]") return elements(at, step, so);
        if (!at.is_object()) return Keep::Yes;
        if (steps_[step] != "*") return member(at, steps_[step], step, so);
        std::vector<std::string> keys;
        for (const auto& [key, value] : at.items()) keys.push_back(key);
        for (const std::string& key : keys)
            if (member(at, key, step, so) == Keep::NotElement) return Keep::NotElement;
        return Keep::Yes;
    }

    Keep member(Json& at, const std::string& key, std::size_t step, const Found& so) {
        const auto found = at.find(key);
        if (found == at.end()) return Keep::Yes;
        Found inner = so;
        if (step == 0) inner.where = key;
        const Keep keep = go(*found, step + 1, inner);
        if (keep == Keep::NotMember) at.erase(key);
        return keep == Keep::NotElement ? keep : Keep::Yes;
    }

    Keep elements(Json& at, std::size_t step, const Found& so) {
        if (!at.is_array()) return Keep::Yes;
        Json kept = Json::array();
        bool dropped = false;
        for (std::size_t i = 0; i < at.size(); ++i) {
            Found inner = so;
            if (!inner.outermost) {
                inner.outermost = &at[i];
                inner.where = objectName(singular(so.where), i, at[i]);
            }
            const bool keep = go(at[i], step + 1, inner) == Keep::Yes;
            dropped = dropped || !keep;
            if (keep) kept.push_back(at[i]);
        }
        if (dropped) at = std::move(kept);
        return Keep::Yes;
    }

    std::vector<std::string> steps_;
    const Visit& visit_;
};

template <typename Visit>
void walk(Json& document, const char* path, const Visit& visit) {
    Walk<Visit>(path, visit).run(document);
}

std::string inWords(const char* path) {
    std::string text = path;
    for (std::size_t at; (at = text.find("[]")) != std::string::npos;) text.erase(at, 2);
    return text;
}

class Checker {
public:
    Checker(Json& document, std::vector<Note>& notes) : document_(document), notes_(notes) {}

    Expected<void> run() {
        for (const char* list : kLists) checkList(list);
        for (const char* list : kInnerLists) checkList(list);
        for (const char* path : kObjects) checkObject(path);
        checkExtensions(document_, "document");
        for (const IndexRule& rule : indexRules()) checkIndices(rule);
        checkTextures();
        if (error_) return tl::unexpected(*error_);
        return {};
    }

private:
    void refuse(const std::string& what, const std::string& where) {
        if (!error_) error_ = Error{ErrorCode::InvalidInput, what, where, ""};
    }

    /// A list, if it is there, is one, and holds objects.
    void checkList(const char* path) {
        walk(document_, path, [&](const Found& found) {
            if (!found.value->is_array())
                refuse(fmt::format("'{}' is not a list", inWords(path)), found.where);
            else if (!std::all_of(found.value->begin(), found.value->end(),
                                  [](const Json& entry) { return entry.is_object(); }))
                refuse(fmt::format("'{}' holds something that is not an object", inWords(path)),
                       found.where);
            return Keep::Yes;
        });
    }

    void checkObject(const char* path) {
        walk(document_, path, [&](const Found& found) {
            if (!found.value->is_object())
                refuse(fmt::format("'{}' is not an object", inWords(path)), found.where);
            return Keep::Yes;
        });
    }

    /// Whatever is written into extensions later needs them to be objects.
    void checkExtensions(const Json& value, const std::string& where) {
        if (value.is_array())
            for (const Json& member : value) checkExtensions(member, where);
        if (!value.is_object()) return;
        for (const auto& [key, member] : value.items()) {
            if (key == "extras") continue;
            if (key == "extensions" && !member.is_object())
                refuse("'extensions' is not an object", where);
            checkExtensions(member, where == "document" ? key : where);
        }
    }

    [[nodiscard]] std::size_t sizeOf(const IndexRule& rule, const Found& found) const {
        const std::string_view list = rule.list;
        if (list.starts_with('.') && found.outermost)
            return jsonArray(*found.outermost, list.data() + 1).size();
        const Json* at = &document_;
        for (const std::string& step : stepsOf(list)) {
            const auto next = at->is_object() ? at->find(step) : at->end();
            if (next == at->end()) return 0;
            at = &*next;
        }
        return at->is_array() ? at->size() : 0;
    }

    void checkIndices(const IndexRule& rule) {
        walk(document_, rule.path, [&](const Found& found) {
            const Json& index = *found.value;
            const bool sound =
                index.is_number_integer() && index >= 0 && index < sizeOf(rule, found);
            if (sound) return Keep::Yes;
            const std::string what =
                fmt::format("'{}' is {}, which names none of {} {}", inWords(rule.path),
                            index.dump(), sizeOf(rule, found), inWords(rule.list));
            if (rule.policy == Policy::Refuse) {
                refuse(what, found.where);
                return Keep::Yes;
            }
            notes_.push_back({found.where, what + "; it is left out"});
            return rule.policy == Policy::DropMember ? Keep::NotMember : Keep::NotElement;
        });
    }

    void checkTextures() {
        const std::size_t count = jsonArray(document_, "textures").size();
        if (!document_.contains("materials") || error_) return;
        Json& materials = document_["materials"];
        for (std::size_t i = 0; i < materials.size(); ++i)
            dropTextures(materials[i], objectName("material", i, materials[i]), count);
    }

    void dropTextures(Json& object, const std::string& where, std::size_t count) {
        std::vector<std::string> dropped;
        for (auto& [key, member] : object.items()) {
            if (!member.is_object()) continue;
            if (!key.ends_with("Texture") || !member.contains("index")) {
                dropTextures(member, where, count);
            } else if (const Json& index = member["index"];
                       !index.is_number_integer() || index < 0 || index >= count) {
                notes_.push_back({where, fmt::format("its {} names a texture that does not exist; "
                                                     "it is left out",
                                                     key)});
                dropped.push_back(key);
            }
        }
        for (const std::string& key : dropped) object.erase(key);
    }

    Json& document_;
    std::vector<Note>& notes_;
    std::optional<Error> error_;
};

}  // namespace

const std::vector<IndexRule>& indexRules() {
    static const std::vector<IndexRule> rules = {
        {"scene", "scenes", Policy::DropMember},
        {"scenes[].nodes[]", "nodes", Policy::DropElement},
        {"nodes[].children[]", "nodes", Policy::Refuse},
        {"nodes[].mesh", "meshes", Policy::DropMember},
        {"nodes[].skin", "skins", Policy::DropMember},
        {"nodes[].camera", "cameras", Policy::DropMember},
        {"nodes[].extensions.KHR_lights_punctual.light", "extensions.KHR_lights_punctual.lights",
         Policy::DropMember},
        {"nodes[].extensions.MSFT_lod.ids[]", "nodes", Policy::DropElement},
        {"nodes[].extensions.EXT_mesh_gpu_instancing.attributes.*", "accessors", Policy::Refuse},
        {"meshes[].primitives[].attributes.*", "accessors", Policy::Refuse},
        {"meshes[].primitives[].indices", "accessors", Policy::Refuse},
        {"meshes[].primitives[].targets[].*", "accessors", Policy::Refuse},
        {"meshes[].primitives[].material", "materials", Policy::DropMember},
        {"meshes[].primitives[].extensions.KHR_materials_variants.mappings[].material", "materials",
         Policy::DropElement},
        {"meshes[].primitives[].extensions.KHR_draco_mesh_compression.bufferView", "bufferViews",
         Policy::Refuse},
        {"skins[].joints[]", "nodes", Policy::Refuse},
        {"skins[].skeleton", "nodes", Policy::DropMember},
        {"skins[].inverseBindMatrices", "accessors", Policy::Refuse},
        {"animations[].channels[].target.node", "nodes", Policy::DropElement},
        {"animations[].channels[].sampler", ".samplers", Policy::DropElement},
        {"animations[].samplers[].input", "accessors", Policy::Refuse},
        {"animations[].samplers[].output", "accessors", Policy::Refuse},
        {"textures[].source", "images", Policy::DropMember},
        {"textures[].sampler", "samplers", Policy::DropMember},
        {"textures[].extensions.KHR_texture_basisu.source", "images", Policy::DropMember},
        {"textures[].extensions.EXT_texture_webp.source", "images", Policy::DropMember},
        {"images[].bufferView", "bufferViews", Policy::DropMember},
        {"bufferViews[].buffer", "buffers", Policy::Refuse},
        {"bufferViews[].extensions.EXT_meshopt_compression.buffer", "buffers", Policy::Refuse},
        {"accessors[].bufferView", "bufferViews", Policy::Refuse},
        {"accessors[].sparse.indices.bufferView", "bufferViews", Policy::Refuse},
        {"accessors[].sparse.values.bufferView", "bufferViews", Policy::Refuse},
    };
    return rules;
}

std::set<std::string> extensionNames(const Json& value) {
    std::set<std::string> names;
    if (value.is_object())
        for (const auto& [name, content] : jsonObject(value, "extensions").items())
            names.insert(name);
    for (const auto& [key, member] : value.items())
        if (member.is_structured() && key != "extras") names.merge(extensionNames(member));
    return names;
}

Expected<void> checkReferences(Json& document, std::vector<Note>& notes) {
    return Checker(document, notes).run();
}

}  // namespace flentro
