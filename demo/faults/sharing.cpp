// Faults of things that are stored more than once.

#include <fmt/format.h>

#include "base/index.h"
#include "faults/faults.h"

namespace flentro::demo {
namespace {

/// Copies of one asset become meshes of their own.
void duplicateMeshes(Planter& p) {
    if (!p.isRandom()) return;  // the crates are built so
    Scene& scene = p.scene();
    std::vector<std::vector<std::size_t>> copies(scene.assets.size());
    for (std::size_t i = 0; i < scene.objects.size(); ++i)
        elementOf(copies, scene.objects[i].asset).push_back(i);
    for (const std::size_t asset : p.assets({}, p.amount(1, 1, 2), [&](auto a) {
             return copies[a].size() >= 4 && scene.assets[a].mesh->bytes * 3 > 70'000;
         })) {
        const std::size_t count = std::min<std::size_t>(
            copies[asset].size(), static_cast<std::size_t>(p.amount(0, 4, 24)));
        std::set<std::string> names = {p.nameOf(asset)};
        for (std::size_t k = 1; k < count; ++k) {
            const Object object = scene.objects[copies[asset][k]];
            Asset own = scene.assets[asset];
            Mesh mesh = *own.mesh;
            mesh.name = fmt::format("{} copy {}", p.nameOf(asset), k);
            own.mesh = finishMesh(std::move(mesh));
            names.insert(own.mesh->name);
            elementOf(scene.nodes, object.node).mesh = static_cast<int>(p.addAsset(std::move(own)));
        }
        flatten(scene);
        p.tell(2, "duplicate-meshes", "one mesh stored under several names", names,
               {{"copies", names.size()}});
    }
}

/// True if other assets stay when one stops using it.
bool isUsedTwice(Planter& p, int material) {
    int users = 0;
    for (std::size_t a = 0; a < p.scene().assets.size(); ++a) {
        const auto& parts = p.scene().assets[a].mesh->parts;
        users += p.isPlaced(a) && std::any_of(parts.begin(), parts.end(), [&](const Part& part) {
                     return part.material == material;
                 });
    }
    return users > 1;
}

/// One material more of the same value, shown by an asset that shared the first.
void duplicateMaterials(Planter& p) {
    struct Pair {
        const char* asset;
        const char* material;
        const char* copy;
    };
    Scene& scene = p.scene();
    const auto tellPair = [&](const std::string& name, const std::string& copy) {
        p.tell(3, "duplicate-materials", "equal but for the name", {name, copy}, {{"copies", 2}});
    };
    if (!p.isRandom()) {
        for (const Pair& pair : {Pair{"scales", "iron", "wrought iron"},
                                 Pair{"lock gate", "planks oak", "planks balance beam"},
                                 Pair{"lock walls", "lock stone", "chamber stone"}})
            for (const std::size_t asset : p.assets({pair.asset}, 1, {}))
                for (std::size_t part = 0; part < scene.assets[asset].mesh->parts.size(); ++part) {
                    const int old = scene.assets[asset].mesh->parts[part].material;
                    if (elementOf(scene.materials, old).name != pair.material) continue;
                    p.editMaterial(asset, part, pair.copy, [](Json&) {});
                    tellPair(pair.material, pair.copy);
                }
        return;
    }
    std::set<int> done;
    for (const std::size_t asset : p.assets({}, p.amount(0, 1, 3), [&](auto a) {
             return isUsedTwice(p, scene.assets[a].mesh->parts.front().material);
         })) {
        const int material = scene.assets[asset].mesh->parts.front().material;
        if (!done.insert(material).second) continue;
        const std::string name = elementOf(scene.materials, material).name;
        p.editMaterial(asset, 0, name + " again", [](Json&) {});
        tellPair(name, name + " again");
    }
}

/// Lets one asset show a copy of its base colour through a material of its own.
void copyImage(Planter& p, const char* finding, const char* what, bool exact) {
    Scene& scene = p.scene();
    const auto suits = [&](std::size_t a) {
        const int material = scene.assets[a].mesh->parts.front().material;
        const int image = p.imageOf(material, "baseColorTexture");
        return image >= 0 && isUsedTwice(p, material) &&
               elementOf(scene.images, image).channels == 3;
    };
    for (const std::size_t asset : p.assets({}, p.amount(0, 1, 2), suits)) {
        const int material = scene.assets[asset].mesh->parts.front().material;
        const int image = p.imageOf(material, "baseColorTexture");
        // Copies of their own; copies of copies would be told of together.
        if (p.images({}, 1, [&](auto i) { return static_cast<int>(i) == image; }).empty()) continue;
        const Image original = elementOf(scene.images, image);
        std::vector<std::uint8_t> pixels = pixelsOf(original, original.width, original.height, 3);
        if (!exact)
            for (std::size_t i = 0; i < pixels.size(); i += 7)
                pixels[i] =
                    static_cast<std::uint8_t>(pixels[i] > 128 ? pixels[i] - 1 : pixels[i] + 1);
        const int copy =
            p.addImage(original.name + " again", pixels, original.width, original.height, 3);
        const int texture = p.addTexture(copy);
        p.editMaterial(asset, 0,
                       elementOf(scene.materials, material).name + (exact ? " rough" : " smooth"),
                       [&](Json& source) {
                           Json& pbr = source["pbrMetallicRoughness"];
                           pbr["baseColorTexture"]["index"] = texture;
                           pbr["roughnessFactor"] = exact ? 0.83 : 0.57;
                       });
        p.tell(3, finding, what, {original.name, original.name + " again"}, {{"copies", 2}});
    }
}

void duplicateTextures(Planter& p) {
    if (!p.isRandom()) return;  // the cobbles are painted so
    copyImage(p, "duplicate-textures", "the same pixels under two names", true);
}

void nearDuplicateTextures(Planter& p) {
    if (!p.isRandom()) return;
    copyImage(p, "near-duplicate-textures", "hardly different", false);
}

}  // namespace

const std::vector<FaultKind>& sharingFaults() {
    static const std::vector<FaultKind> kinds = {
        {"duplicate-meshes", duplicateMeshes},
        {"duplicate-materials", duplicateMaterials},
        {"duplicate-textures", duplicateTextures},
        {"near-duplicate-textures", nearDuplicateTextures},
    };
    return kinds;
}

}  // namespace flentro::demo
