// Pictures and materials of Ottermere Lock, with the planted texture faults.

#include <fmt/format.h>

#include "props.h"

namespace flentro::demo {
namespace {

struct Shade {
    const char* name;
    Vec3f color;
};

const std::vector<Shade>& enamels() {
    static const std::vector<Shade> shades = {
        {"teal", {0.10F, 0.34F, 0.36F}},    {"oxblood", {0.42F, 0.10F, 0.10F}},
        {"mustard", {0.72F, 0.50F, 0.12F}}, {"cream", {0.82F, 0.76F, 0.62F}},
        {"navy", {0.10F, 0.15F, 0.34F}},    {"moss", {0.22F, 0.32F, 0.14F}}};
    return shades;
}

void paintGround(SceneBuilder& s, bool sound) {
    s.picture("cobble quay", 1024, cobble({0.42F, 0.39F, 0.36F}, 11));
    // Planted: the same picture once more under another name.
    s.picture("cobble lockside", 1024, cobble({0.42F, 0.39F, 0.36F}, sound ? 12 : 11));
    s.picture("brick warehouse", 1024, brick({0.46F, 0.20F, 0.14F}, {0.45F, 0.42F, 0.38F}, 21));
    s.picture("brick house", 1024, brick({0.52F, 0.33F, 0.22F}, {0.5F, 0.47F, 0.42F}, 22));
    s.picture("lock stone", 1024, cobble({0.33F, 0.34F, 0.33F}, 23));
    s.picture("meadow", 512, speckled({0.13F, 0.18F, 0.09F}, 0.5F, 24));
    s.picture("roof slate", 512, brick({0.17F, 0.18F, 0.21F}, {0.08F, 0.08F, 0.1F}, 25));
    s.picture("water colour", 512, speckled({0.045F, 0.085F, 0.10F}, 0.4F, 26));
    s.picture("water normal", 1024, waves(27));
    s.picture("hills", 512, speckled({0.10F, 0.14F, 0.15F}, 0.5F, 28));
}

void paintGoods(SceneBuilder& s) {
    s.picture("planks oak", 1024, planks({0.44F, 0.30F, 0.18F}, 8, 31));
    s.picture("planks tarred", 512, planks({0.20F, 0.16F, 0.13F}, 8, 32));
    s.picture("planks crate", 512, planks({0.56F, 0.43F, 0.27F}, 6, 33));
    s.picture("rope hemp", 512, rope({0.60F, 0.48F, 0.30F}, 34));
    s.picture("wicker", 512, rope({0.55F, 0.38F, 0.20F}, 35));
    s.picture("otter stone", 1024, speckled({0.56F, 0.52F, 0.46F}, 0.45F, 36));
    s.picture("loft chest", 1024, planks({0.35F, 0.18F, 0.12F}, 5, 45));
    s.picture("iron", 512, speckled({0.17F, 0.17F, 0.18F}, 0.4F, 37));
    s.picture("brass", 512, speckled({0.66F, 0.48F, 0.20F}, 0.3F, 38));
    s.picture("glaze", 512, speckled({0.70F, 0.66F, 0.58F}, 0.2F, 39));
    s.picture({"leaves herb", s.detail().edge(512), s.detail().edge(512), 4,
               leaves({0.26F, 0.42F, 0.16F}, 40)});
    s.picture({"leaves poplar", s.detail().edge(512), s.detail().edge(512), 4,
               leaves({0.20F, 0.28F, 0.12F}, 41)});
    s.picture("reed", 256, striped({0.38F, 0.40F, 0.20F}, {0.30F, 0.34F, 0.16F}, 8, 42));
    // Planted: far more texels than a jar label or a kettle can show.
    s.picture("jar label", 4096, label({0.88F, 0.82F, 0.66F}, {0.25F, 0.10F, 0.08F}, 43));
    s.picture("kettle enamel", 4096, striped({0.12F, 0.30F, 0.40F}, {0.16F, 0.36F, 0.46F}, 6, 44));
    for (const Shade& shade : enamels()) {
        const auto seed = static_cast<std::uint32_t>(50 + s.detail().texture + shade.name[0]);
        s.picture(std::string("enamel ") + shade.name, 512, speckled(shade.color, 0.25F, seed));
        s.picture(std::string("canvas ") + shade.name, 512,
                  striped(shade.color * 1.35F, {0.78F, 0.73F, 0.62F}, 5, seed));
        s.picture(std::string("sign ") + shade.name, 512,
                  label(shade.color, {0.92F, 0.86F, 0.70F}, seed));
        s.picture(std::string("boat ") + shade.name, 1024,
                  label(shade.color * 0.8F, {0.80F, 0.60F, 0.22F}, seed + 1));
    }
}

MaterialLook look(std::string name, std::string texture, float roughness = 0.9F,
                  float metallic = 0) {
    MaterialLook result;
    result.name = std::move(name);
    result.texture = std::move(texture);
    result.roughness = roughness;
    result.metallic = metallic;
    return result;
}

void mixPlain(SceneBuilder& s) {
    for (const char* name : {"brick warehouse", "brick house", "lock stone", "meadow", "roof slate",
                             "planks oak", "planks tarred", "planks crate", "rope hemp", "wicker",
                             "otter stone", "hills", "glaze", "reed"})
        s.material(look(name, name));
    // Planted: two materials that are equal but for a copy of their texture.
    s.material(look("cobble quay", "cobble quay"));
    s.material(look("cobble lockside", "cobble lockside"));
    s.material(look("iron", "iron", 0.6F, 0.7F));
    s.material(look("brass", "brass", 0.35F, 0.8F));
    s.material(look("loft chest", "loft chest", 0.7F));
    s.material(look("railing enamel", "enamel navy", 0.18F));
    s.material(look("jar label", "jar label", 0.5F));
    s.material(look("kettle enamel", "kettle enamel", 0.3F));
    for (const Shade& shade : enamels())
        for (const char* kind : {"enamel ", "canvas ", "sign ", "boat "})
            s.material(look(kind + std::string(shade.name), kind + std::string(shade.name), 0.6F));
}

void mixSpecial(SceneBuilder& s) {
    MaterialLook water = look("water", "water colour", 0.08F);
    water.normalTexture = "water normal";
    s.material(water);
    for (const char* name : {"leaves herb", "leaves poplar"}) {
        MaterialLook foliage = look(name, name);
        foliage.alphaMode = AlphaMode::Mask;
        foliage.doubleSided = true;
        s.material(foliage);
    }
    MaterialLook glow = look("lantern glow", "");
    glow.color = {1, 0.72F, 0.36F, 1};
    glow.emissive = {3.2F, 1.9F, 0.8F};
    s.material(glow);
    MaterialLook skin = look("skin", "", 0.7F);
    skin.color = {0.62F, 0.42F, 0.32F, 1};
    s.material(skin);
    MaterialLook window = look("lit window", "");
    window.color = {0.9F, 0.6F, 0.3F, 1};
    window.emissive = {1.2F, 0.75F, 0.35F};
    s.material(window);
    MaterialLook sky = look("dusk sky", "");
    sky.color = {0.05F, 0.07F, 0.14F, 1};
    sky.emissive = {0.016F, 0.022F, 0.045F};
    s.material(sky);
}

}  // namespace

std::string shade(const char* kind, int variant) {
    const auto& shades = enamels();
    return fmt::format("{} {}", kind,
                       shades[static_cast<std::size_t>(variant) % shades.size()].name);
}

void lookAround(SceneBuilder& scene, bool sound) {
    paintGround(scene, sound);
    paintGoods(scene);
    mixPlain(scene);
    mixSpecial(scene);
}

}  // namespace flentro::demo
