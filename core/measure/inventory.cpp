#include "measure/inventory.h"

#include <algorithm>
#include <set>

#include "base/index.h"
#include "geometry/mesh_materials.h"
#include "measure/viewcost.h"

namespace flentro {
namespace {

std::set<int> imagesOf(const Scene& scene, const Mesh& mesh) {
    std::set<int> images;
    for (const Part& part : mesh.parts) {
        if (part.material < 0) continue;
        for (const TextureUse& use : elementOf(scene.materials, part.material).textures) {
            const int image = scene.imageOf(use.texture);
            if (image >= 0) images.insert(image);
        }
    }
    return images;
}

AssetEntry describeAsset(const Scene& scene, const TextureMemory& textures, std::size_t index) {
    const Asset& asset = scene.assets[index];
    const Mesh& mesh = *asset.mesh;
    AssetEntry entry;
    entry.name = mesh.name;
    entry.asset = index;
    entry.triangles = mesh.triangles;
    entry.vertices = mesh.vertices;
    entry.bytes = mesh.bytes;
    entry.parts = mesh.parts.size();
    entry.materials = materialCount(mesh);
    entry.levels = asset.levelCount();
    for (const int image : imagesOf(scene, mesh))
        entry.textureBytes += textures.of(static_cast<std::size_t>(image));
    if (!mesh.parts.empty())
        for (const Attribute& attribute : mesh.parts.front().attributes)
            entry.bytesPerVertex[attribute.semantic] = attribute.stream->elementSize();
    return entry;
}

std::vector<TextureEntry> listTextures(const Scene& scene, const TextureMemory& textures) {
    std::vector<TextureEntry> entries(scene.images.size());
    for (std::size_t i = 0; i < entries.size(); ++i) {
        const Image& image = scene.images[i];
        entries[i] = {image.name,
                      i,
                      image.width,
                      image.height,
                      image.mime,
                      image.data ? image.data->size() : 0,
                      textures.of(i),
                      textures.classOf(i),
                      0,
                      true};
    }
    for (const Texture& texture : scene.textures)
        if (texture.image >= 0 && texture.sampler >= 0 &&
            !elementOf(scene.samplers, texture.sampler).usesMipMaps())
            elementOf(entries, texture.image).mipMaps = false;
    for (const Material& material : scene.materials) {
        std::set<int> images;
        for (const TextureUse& use : material.textures) images.insert(scene.imageOf(use.texture));
        for (const int image : images)
            if (image >= 0) ++elementOf(entries, image).materials;
    }
    std::stable_sort(entries.begin(), entries.end(),
                     [](const auto& a, const auto& b) { return a.memory > b.memory; });
    return entries;
}

std::vector<MaterialEntry> listMaterials(const Scene& scene, const TextureMemory& textures,
                                         const std::vector<AssetEntry>& assets) {
    std::vector<MaterialEntry> entries(scene.materials.size());
    for (std::size_t m = 0; m < entries.size(); ++m) {
        entries[m].name = scene.materials[m].name;
        entries[m].material = m;
        std::set<int> images;
        for (const TextureUse& use : scene.materials[m].textures)
            images.insert(scene.imageOf(use.texture));
        images.erase(-1);
        entries[m].images = images.size();
        for (const int image : images)
            entries[m].textureBytes += textures.of(static_cast<std::size_t>(image));
    }
    for (const AssetEntry& asset : assets) {
        std::set<int> shown;
        for (const Part& part : scene.assets[asset.asset].mesh->parts) shown.insert(part.material);
        shown.erase(-1);
        for (const int material : shown) {
            ++elementOf(entries, material).assets;
            elementOf(entries, material).objects += asset.instances;
        }
    }
    std::stable_sort(entries.begin(), entries.end(),
                     [](const auto& a, const auto& b) { return a.objects > b.objects; });
    return entries;
}

LightEntry describeLight(const Scene& scene, std::size_t index) {
    const PlacedLight& placed = scene.placedLights[index];
    const Light& light = elementOf(scene.lights, placed.light);
    return {placed.name,  index,
            light.type,   static_cast<double>(light.intensity),
            placed.range, placed.castsShadow};
}

std::vector<LightEntry> listLights(const Scene& scene) {
    std::vector<LightEntry> entries;
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i)
        entries.push_back(describeLight(scene, i));
    std::stable_sort(entries.begin(), entries.end(),
                     [](const auto& a, const auto& b) { return a.range > b.range; });
    return entries;
}

std::vector<SkinEntry> listSkins(const Scene& scene) {
    std::vector<SkinEntry> entries;
    for (std::size_t i = 0; i < scene.skins.size(); ++i) {
        const auto& joints = scene.skins[i].joints;
        const std::string name = joints.empty() ? "" : elementOf(scene.nodes, joints.front()).name;
        entries.push_back({name, i, joints.size(), 0});
    }
    for (const Object& object : scene.objects) {
        const int skin = elementOf(scene.nodes, object.node).skin;
        if (skin >= 0) ++elementOf(entries, skin).objects;
    }
    return entries;
}

}  // namespace

Inventory takeInventory(const Scene& scene, const Target& target) {
    const TextureMemory textures(scene, target);
    Inventory result;
    for (std::size_t i = 0; i < scene.assets.size(); ++i)
        result.assets.push_back(describeAsset(scene, textures, i));
    for (const Object& object : scene.objects) ++elementOf(result.assets, object.asset).instances;
    for (AssetEntry& entry : result.assets) {
        entry.placed = entry.triangles * entry.instances;
        result.uniqueTriangles += entry.triangles;
        result.placedTriangles += entry.placed;
        result.vertices += entry.vertices;
        result.meshBytes += entry.bytes;
    }
    for (AssetEntry& entry : result.assets)
        if (result.placedTriangles > 0)
            entry.share = static_cast<double>(entry.placed) / result.placedTriangles;
    std::stable_sort(result.assets.begin(), result.assets.end(),
                     [](const auto& a, const auto& b) { return a.placed > b.placed; });
    result.textures = listTextures(scene, textures);
    for (const TextureEntry& entry : result.textures) result.textureMemory += entry.memory;
    result.materialEntries = listMaterials(scene, textures, result.assets);
    result.lightEntries = listLights(scene);
    result.skinEntries = listSkins(scene);
    result.objects = scene.objects.size();
    result.materials = scene.materials.size();
    result.lights = scene.placedLights.size();
    for (const PlacedLight& light : scene.placedLights) result.shadowLights += light.castsShadow;
    result.skins = scene.skins.size();
    return result;
}

}  // namespace flentro
