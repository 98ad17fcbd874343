// What is in a scene: per asset, per texture, and in total.

#pragma once

#include <map>
#include <string>
#include <vector>

#include "measure/texture_memory.h"
#include "scene/scene.h"

namespace flentro {

struct AssetEntry {
    std::string name;
    std::size_t asset = 0;      ///< Index in Scene::assets.
    std::size_t instances = 0;  ///< Objects that show it.
    std::size_t triangles = 0;  ///< Of one copy, level 0.
    std::size_t placed = 0;     ///< triangles x instances.
    std::size_t vertices = 0;
    std::size_t bytes = 0;      ///< Streams and indices, level 0.
    std::size_t parts = 0;      ///< Draw calls of one copy.
    std::size_t materials = 0;  ///< Distinct ones of one copy.
    std::size_t levels = 1;
    double textureBytes = 0;  ///< Of its textures, in the target's storage.
    double share = 0;         ///< Of all placed triangles, 0 to 1.
    std::map<std::string, std::size_t> bytesPerVertex;  ///< By attribute, of the first part.
};

struct TextureEntry {
    std::string name;
    std::size_t image = 0;  ///< Index in Scene::images.
    int width = 0;          ///< Pixels.
    int height = 0;
    std::string mime;
    std::size_t fileBytes = 0;  ///< Encoded.
    double memory = 0;          ///< In the target's storage, with mip maps.
    TextureClass use = TextureClass::Data;
    std::size_t materials = 0;  ///< That use it.
    bool mipMaps = true;        ///< Every sampler that reads it filters with mip maps.
};

struct MaterialEntry {
    std::string name;
    std::size_t material = 0;  ///< Index in Scene::materials.
    std::size_t assets = 0;    ///< That show it in level 0.
    std::size_t objects = 0;   ///< That show those.
    std::size_t images = 0;
    double textureBytes = 0;  ///< Of those, in the target's storage.
};

struct LightEntry {
    std::string name;
    std::size_t light = 0;  ///< Index in Scene::placedLights.
    LightType type = LightType::Point;
    double intensity = 0;  ///< Candela, or lux for directional lights.
    double range = 0;      ///< Metres; infinity: none.
    bool castsShadow = false;
};

struct SkinEntry {
    std::string name;  ///< Of its first joint.
    std::size_t skin = 0;
    std::size_t joints = 0;
    std::size_t objects = 0;  ///< That it bends.
};

struct Inventory {
    std::vector<AssetEntry> assets;              ///< By placed triangles, heaviest first.
    std::vector<TextureEntry> textures;          ///< By memory, heaviest first.
    std::vector<MaterialEntry> materialEntries;  ///< By objects, most first.
    std::vector<LightEntry> lightEntries;        ///< By range, longest first.
    std::vector<SkinEntry> skinEntries;
    std::size_t objects = 0;
    std::size_t uniqueTriangles = 0;  ///< Each asset once.
    std::size_t placedTriangles = 0;
    std::size_t vertices = 0;  ///< Each asset once.
    std::size_t meshBytes = 0;
    std::size_t materials = 0;
    std::size_t lights = 0;
    std::size_t shadowLights = 0;
    std::size_t skins = 0;
    double textureMemory = 0;
};

/// Cost: O(objects + assets log assets + textures log textures).
[[nodiscard]] Inventory takeInventory(const Scene& scene, const Target& target);

}  // namespace flentro
