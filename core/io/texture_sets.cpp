#include "io/texture_sets.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>

#include "base/index.h"

namespace flentro {
namespace {

/// Set of coordinates for each texture of a material; -1: none. [textures]
using Binding = std::vector<int>;

/// [sets]
std::vector<int> setsOf(const Part& part) {
    constexpr int kMost = 8;
    std::vector<int> sets;
    for (int set = 0; set < kMost; ++set)
        if (part.find(fmt::format("TEXCOORD_{}", set))) sets.push_back(set);
    return sets;
}

Binding bindingOf(const Material& material, const std::vector<int>& sets) {
    Binding binding;
    for (const TextureUse& use : material.textures) {
        const auto above = std::upper_bound(sets.begin(), sets.end(), use.texCoord);
        binding.push_back(sets.empty() ? -1 : above == sets.begin() ? sets.front() : above[-1]);
    }
    return binding;
}

Binding asItIs(const Material& material) {
    Binding binding;
    for (const TextureUse& use : material.textures) binding.push_back(use.texCoord);
    return binding;
}

/// Sets the coordinates of every texture of that role, or leaves it out.
void rebind(Json& json, const std::string& role, int set) {
    if (!json.is_object()) return;
    if (set < 0) json.erase(role);
    for (auto& [key, value] : json.items()) {
        if (key != role || !value.is_object()) {
            rebind(value, role, set);
            continue;
        }
        value["texCoord"] = set;
        if (value.contains("extensions") && value["extensions"].is_object() &&
            value["extensions"].contains("KHR_texture_transform"))
            value["extensions"]["KHR_texture_transform"].erase("texCoord");
    }
}

Material bound(const Material& material, const Binding& binding) {
    Material result = material;
    result.textures.clear();
    for (std::size_t i = 0; i < binding.size(); ++i) {
        TextureUse use = material.textures[i];
        if (use.texCoord != binding[i]) rebind(result.source, use.role, binding[i]);
        use.texCoord = binding[i];
        if (binding[i] >= 0) result.textures.push_back(std::move(use));
    }
    return result;
}

}  // namespace

TextureSetRepair bindPresentSets(Scene& scene) {
    TextureSetRepair repair;
    std::map<std::pair<int, Binding>, int> materials;  // New index of each that is shown.
    struct Wrong {
        std::size_t asset, part;
        Binding binding;
    };
    std::vector<Wrong> wrong;
    for (std::size_t a = 0; a < scene.assets.size(); ++a)
        for (std::size_t p = 0; p < scene.assets[a].mesh->parts.size(); ++p) {
            const Part& part = scene.assets[a].mesh->parts[p];
            if (part.material < 0) continue;
            const Material& material = elementOf(scene.materials, part.material);
            if (material.textures.empty()) continue;
            Binding binding = bindingOf(material, setsOf(part));
            if (binding == asItIs(material)) {
                materials[{part.material, binding}] = part.material;
                continue;
            }
            ++(std::ranges::count(binding, -1) > 0 ? repair.dropped : repair.rebound);
            wrong.push_back({a, p, std::move(binding)});
        }
    std::map<std::size_t, Mesh> changed;
    for (const Wrong& each : wrong) {
        Mesh& mesh = changed.try_emplace(each.asset, *scene.assets[each.asset].mesh).first->second;
        const int from = mesh.parts[each.part].material;
        const auto [at, isNew] = materials.try_emplace({from, each.binding}, from);
        if (isNew) {
            // The first takes the material's own place if no part shows that as it is.
            const Material& material = elementOf(scene.materials, from);
            const bool isFree = std::ranges::none_of(materials, [&](const auto& other) {
                return other.first.first == from && other.first != at->first;
            });
            Material result = bound(material, each.binding);
            if (isFree) {
                elementOf(scene.materials, from) = std::move(result);
            } else {
                at->second = static_cast<int>(scene.materials.size());
                scene.materials.push_back(std::move(result));
            }
        }
        mesh.parts[each.part].material = at->second;
    }
    for (auto& [asset, mesh] : changed) scene.assets[asset].mesh = finishMesh(std::move(mesh));
    return repair;
}

}  // namespace flentro
