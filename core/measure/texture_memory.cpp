#include "measure/texture_memory.h"

#include <algorithm>
#include <array>
#include <string_view>

namespace flentro {
namespace {

struct RoleClass {
    std::string_view role;
    TextureClass use;
};

/// glTF 2.0 and its ratified extensions; roles that are not here hold data.
constexpr std::array kRoles = std::to_array<RoleClass>({
    {"baseColorTexture", TextureClass::Color},
    {"emissiveTexture", TextureClass::Color},
    {"diffuseTexture", TextureClass::Color},
    {"sheenColorTexture", TextureClass::Color},
    {"specularColorTexture", TextureClass::Color},
    {"specularGlossinessTexture", TextureClass::ColorWithAlpha},
    {"normalTexture", TextureClass::Normal},
    {"clearcoatNormalTexture", TextureClass::Normal},
    {"metallicRoughnessTexture", TextureClass::PackedMasks},
    {"occlusionTexture", TextureClass::Mask},
    {"clearcoatTexture", TextureClass::Mask},
    {"clearcoatRoughnessTexture", TextureClass::Mask},
    {"transmissionTexture", TextureClass::Mask},
    {"thicknessTexture", TextureClass::Mask},
    {"specularTexture", TextureClass::Mask},
    {"sheenRoughnessTexture", TextureClass::Mask},
    {"iridescenceTexture", TextureClass::Mask},
    {"iridescenceThicknessTexture", TextureClass::Mask},
});

TextureClass classOf(const Material& material, const TextureUse& use, const Image& image) {
    const auto* row = std::find_if(kRoles.begin(), kRoles.end(),
                                   [&](const RoleClass& r) { return r.role == use.role; });
    if (row == kRoles.end()) return TextureClass::Data;
    const bool readsAlpha = use.role == "baseColorTexture" || use.role == "diffuseTexture";
    const bool hasAlpha = image.channels == 2 || image.channels == 4;
    if (readsAlpha && hasAlpha && material.alphaMode != AlphaMode::Opaque)
        return TextureClass::ColorWithAlpha;
    return row->use;
}

/// The class that serves both uses of one image.
TextureClass commonClass(TextureClass a, TextureClass b, bool isOneRole) {
    const auto either = [&](TextureClass use) { return a == use || b == use; };
    if (either(TextureClass::ColorWithAlpha)) return TextureClass::ColorWithAlpha;
    if (either(TextureClass::Color)) return TextureClass::Color;
    if (either(TextureClass::Normal)) return a == b ? a : TextureClass::Data;
    if (either(TextureClass::PackedMasks)) return TextureClass::PackedMasks;
    if (a == TextureClass::Mask && b == TextureClass::Mask)
        return isOneRole ? TextureClass::Mask : TextureClass::PackedMasks;
    return TextureClass::Data;
}

}  // namespace

std::vector<TextureClass> textureClasses(const Scene& scene) {
    std::vector<TextureClass> classes(scene.images.size(), TextureClass::Data);
    std::vector<std::string_view> roles(scene.images.size());
    for (const Material& material : scene.materials)
        for (const TextureUse& use : material.textures) {
            const int index = scene.imageOf(use.texture);
            if (index < 0) continue;
            const auto i = static_cast<std::size_t>(index);
            const TextureClass found = classOf(material, use, scene.images[i]);
            classes[i] =
                roles[i].empty() ? found : commonClass(classes[i], found, roles[i] == use.role);
            roles[i] = use.role;
        }
    return classes;
}

double textureBytes(int width, int height, TextureClass use, const Target& target) {
    const double texels = static_cast<double>(width) * height;
    return texels * target.bytesPerTexel(use) * (target.mipMaps ? 4.0 / 3 : 1);
}

TextureMemory::TextureMemory(const Scene& scene, const Target& target)
    : classes_(textureClasses(scene)) {
    for (std::size_t i = 0; i < scene.images.size(); ++i)
        bytes_.push_back(
            textureBytes(scene.images[i].width, scene.images[i].height, classes_[i], target));
}

}  // namespace flentro
