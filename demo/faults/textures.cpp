// Faults that sit in images and in how they are read.

#include "textures.h"
#include "base/index.h"
#include "faults/faults.h"

namespace flentro::demo {
namespace {

/// True for an opaque base colour that something shows.
bool isPlain(Planter& p, std::size_t image) {
    return p.scene().images[image].channels == 3 && p.isShown(image);
}

void resize(Planter& p, std::size_t image, int width, int height) {
    const Image& old = p.scene().images[image];
    p.setImage(image, pixelsOf(old, width, height, old.channels), width, height, old.channels);
}

void overLargestEdge(Planter& p) {
    if (!p.isRandom()) return;  // labels and kettles are painted so
    for (const std::size_t image :
         p.images({}, p.amount(0, 1, 2), [&](auto i) { return isPlain(p, i); })) {
        resize(p, image, 4096, 256);
        p.tell(3, "over-largest-edge", "an edge that many devices cannot hold",
               {p.scene().images[image].name}, {{"pixels", 4096}});
    }
}

void notPowerOfTwo(Planter& p) {
    for (const std::size_t image :
         p.images({"sign moss"}, p.amount(1, 1, 4), [&](auto i) { return isPlain(p, i); })) {
        const int width = p.amount(p.scene().images[image].width * 1000 / 512, 33, 63);
        const int height = p.isRandom() ? 64 : width * 3 / 4;
        resize(p, image, width, height);
        p.tell(3, "not-power-of-two", "edges that are no powers of two",
               {p.scene().images[image].name}, {{"width", width}, {"height", height}});
    }
}

/// Samplers that read the finest level only.
void noMipMaps(Planter& p) {
    Scene& scene = p.scene();
    Sampler sampler;
    sampler.minFilter = 9729;
    sampler.rest = {{"minFilter", 9729}, {"magFilter", 9729}};
    std::set<std::string> names;
    for (const std::size_t image :
         p.images({"brick house", "planks crate"}, p.amount(2, 1, 5),
                  [&](auto i) { return isPlain(p, i) && p.scene().images[i].width >= 64; })) {
        for (Texture& texture : scene.textures)
            if (texture.image == static_cast<int>(image))
                texture.sampler = static_cast<int>(scene.samplers.size());
        names.insert(scene.images[image].name);
    }
    scene.samplers.push_back(sampler);
    p.tell(3, "no-mip-maps", "read without mip maps", names, {{"images", names.size()}});
}

void oneColour(Planter& p) {
    for (const std::size_t image :
         p.images({"enamel cream"}, p.amount(1, 1, 3), [&](auto i) { return isPlain(p, i); })) {
        const Image old = p.scene().images[image];
        const int edge = p.isRandom() ? old.width : 2 * old.width;
        const std::size_t wanted = static_cast<std::size_t>(edge) * static_cast<std::size_t>(edge);
        std::vector<std::uint8_t> mean = pixelsOf(old, 1, 1, 3);
        std::vector<std::uint8_t> pixels(3 * wanted);
        for (std::size_t i = 0; i < pixels.size(); ++i) pixels[i] = mean[i % 3];
        p.setImage(image, pixels, edge, edge, 3);
        p.tell(3, "one-colour-texture", "a factor would do", {old.name}, {{"width", edge}});
    }
}

void unusedAlpha(Planter& p) {
    for (const std::size_t image :
         p.images({"wicker"}, p.amount(1, 1, 3), [&](auto i) { return isPlain(p, i); })) {
        const Image old = p.scene().images[image];
        p.setImage(image, pixelsOf(old, old.width, old.height, 4), old.width, old.height, 4);
        p.tell(3, "unused-alpha", "an alpha channel that is opaque everywhere", {old.name},
               {{"width", old.width}});
    }
}

/// Occlusion, roughness and metalness of one material as images of their own.
void separableMasks(Planter& p) {
    for (const std::size_t asset : p.assets({"lattice crane"}, p.amount(1, 1, 2), [&](auto a) {
             return p.scene().assets[a].mesh->parts.front().material >= 0;
         })) {
        const Part& part = p.scene().assets[asset].mesh->parts.front();
        const int edge = p.isRandom() ? 64 : p.scene().images.front().width / 2;
        const std::string name = p.nameOf(asset);
        std::map<std::string, int> textures;
        std::set<std::string> names;
        for (const auto& [role, seed] :
             {std::pair("occlusion", 61U), std::pair("roughness", 62U)}) {
            const Picture picture =
                paint({name + " " + role, edge, edge, 3,
                       speckled(role == std::string("occlusion") ? Vec3f(0.8F, 0.8F, 0.8F)
                                                                 : Vec3f(0, 0.6F, 0.7F),
                                0.5F, seed + static_cast<std::uint32_t>(asset))});
            textures[role] = p.addTexture(p.addImage(picture.name, picture.pixels, edge, edge, 3));
            names.insert(picture.name);
        }
        names.insert(elementOf(p.scene().materials, part.material).name + " of " + name);
        p.editMaterial(asset, 0, elementOf(p.scene().materials, part.material).name + " of " + name,
                       [&](Json& source) {
                           source["occlusionTexture"]["index"] = textures["occlusion"];
                           source["pbrMetallicRoughness"]["metallicRoughnessTexture"]["index"] =
                               textures["roughness"];
                       });
        p.tell(3, "separable-masks", "masks in images of their own", names, {{"width", edge}});
    }
}

void unusedTexture(Planter& p) {
    std::set<std::string> names;
    const int count = p.amount(1, 1, 3);
    for (int i = 0; i < count; ++i) {
        const int edge = p.isRandom() ? 64 : p.scene().images.front().width / 2;
        const Picture picture =
            paint({"poster draft " + std::to_string(i + 1), edge, edge, 3,
                   label({0.5F, 0.7F, 0.6F}, {0.2F, 0.1F, 0.2F}, 70U + static_cast<unsigned>(i))});
        p.addTexture(p.addImage(picture.name, picture.pixels, edge, edge, 3));
        names.insert(picture.name);
    }
    p.tell(3, "unused-texture", "no material reads it", names, {{"images", count}});
}

}  // namespace

const std::vector<FaultKind>& textureFaults() {
    static const std::vector<FaultKind> kinds = {
        {"over-largest-edge", overLargestEdge},
        {"not-power-of-two", notPowerOfTwo},
        {"no-mip-maps", noMipMaps},
        {"one-colour-texture", oneColour},
        {"unused-alpha", unusedAlpha},
        {"separable-masks", separableMasks},
        {"unused-texture", unusedTexture},
    };
    return kinds;
}

}  // namespace flentro::demo
