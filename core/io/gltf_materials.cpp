#include "io/gltf_materials.h"

#include <fmt/format.h>

#include <array>
#include <cmath>

#include "base/index.h"
#include "io/gltf_meshes.h"
#include "io/image.h"

namespace flentro {
namespace {

Expected<Bytes> imageBytes(const Json& source, const GltfAccessors& accessors,
                           const std::filesystem::path& folder,
                           std::vector<std::filesystem::path>& files) {
    const std::string uri = jsonOr<std::string>(source, "uri", "");
    if (isDataUri(uri)) return decodeDataUri(uri);
    if (!uri.empty()) {
        auto path = resolveInside(folder, uri);
        if (!path) return tl::unexpected(path.error());
        files.push_back(*path);
        if (auto fits = accessors.memory().takeFile(*path, path->string()); !fits)
            return tl::unexpected(fits.error());
        return readFile(*path, std::size_t{1} << 30);
    }
    auto view = accessors.bufferView(jsonOr(source, "bufferView", -1));
    if (!view) return tl::unexpected(view.error());
    if (auto fits = accessors.memory().take(view->size(), ""); !fits)
        return tl::unexpected(fits.error());
    return Bytes(view->begin(), view->end());
}

/// Memory that an image takes while it is decoded: as stored, as RGBA, and resized.
std::size_t decodedBytes(const ImageInfo& info) {
    constexpr std::size_t kCopies = 3;
    return static_cast<std::size_t>(info.width) * static_cast<std::size_t>(info.height) * 4 *
           kCopies;
}

Image readImage(std::size_t index, const Json& source, const GltfAccessors& accessors,
                const std::filesystem::path& folder, Scene& scene) {
    Image image;
    const std::string where = objectName("image", index, source);
    image.uri = jsonOr<std::string>(source, "uri", "");
    if (isDataUri(image.uri)) image.uri.clear();
    image.name = jsonOr<std::string>(source, "name", image.uri);
    if (image.name.empty()) image.name = fmt::format("image {}", index);
    image.rest = without(source, {"name", "uri", "bufferView", "mimeType"});
    auto data = imageBytes(source, accessors, folder, scene.files);
    if (!data) {
        scene.notes.push_back({where, "left out: " + describe(data.error())});
        return image;
    }
    auto info = probeImage(*data);
    if (!info) {
        scene.notes.push_back({where, "left out: " + info.error().what});
        return image;
    }
    if (auto fits = accessors.memory().ask(decodedBytes(*info), ""); !fits) {
        scene.notes.push_back({where, fmt::format("left out: decoding its {} x {} pixels {}",
                                                  info->width, info->height, fits.error().what)});
        return image;
    }
    image.mime = info->mime;
    image.width = info->width;
    image.height = info->height;
    image.channels = info->channels;
    image.hash = hashBytes(*data);
    image.data = std::make_shared<const Bytes>(std::move(*data));
    return image;
}

template <int N>
void readVector(const Json& source, const char* key, Eigen::Matrix<float, N, 1>& value) {
    const Json& array = jsonArray(source, key);
    for (int i = 0; i < N && i < static_cast<int>(array.size()); ++i)
        if (elementOf(array, i).is_number()) value[i] = elementOf(array, i).get<float>();
}

AlphaMode alphaModeOf(const Json& source) {
    const std::string mode = jsonOr<std::string>(source, "alphaMode", "OPAQUE");
    return mode == "BLEND"  ? AlphaMode::Blend
           : mode == "MASK" ? AlphaMode::Mask
                            : AlphaMode::Opaque;
}

constexpr std::array kTextureFormats = {"KHR_texture_basisu", "EXT_texture_webp"};

void readTextures(const Json& document, Scene& scene) {
    for (const Json& source : jsonArray(document, "samplers"))
        scene.samplers.push_back({jsonOr(source, "minFilter", 9987), source});
    for (const Json& source : jsonArray(document, "textures")) {
        Texture texture;
        texture.name = jsonOr<std::string>(source, "name", "");
        texture.image = jsonOr(source, "source", -1);
        for (const char* extension : kTextureFormats) {
            const int image =
                jsonOr(jsonObject(jsonObject(source, "extensions"), extension), "source", -1);
            if (image < 0) continue;
            texture.formatExtension = extension;
            texture.formatImage = image;
            if (texture.image < 0) texture.image = image;
        }
        texture.sampler = jsonOr(source, "sampler", -1);
        texture.rest = without(source, {"name", "source", "sampler"},
                               {kTextureFormats[0], kTextureFormats[1]});
        scene.textures.push_back(texture);
    }
}

/// KHR_texture_transform: scaled, then turned, then moved.
TextureUse parseUse(const std::string& role, const Json& source) {
    TextureUse use{role, jsonOr(source, "index", -1), jsonOr(source, "texCoord", 0)};
    const Json& move = jsonObject(jsonObject(source, "extensions"), "KHR_texture_transform");
    if (move.empty()) return use;
    use.texCoord = jsonOr(move, "texCoord", use.texCoord);
    Vec2f offset = Vec2f::Zero();
    Vec2f scale = Vec2f::Ones();
    readVector<2>(move, "offset", offset);
    readVector<2>(move, "scale", scale);
    const auto turn = jsonOr(move, "rotation", 0.0F);
    const float c = std::cos(turn);
    const float s = std::sin(turn);
    use.transform << c * scale.x(), s * scale.y(), offset.x(),  //
        -s * scale.x(), c * scale.y(), offset.y();
    return use;
}

Light parseLight(const Json& source) {
    Light light;
    light.rest = source;
    light.name = jsonOr<std::string>(source, "name", "");
    const std::string type = jsonOr<std::string>(source, "type", "point");
    light.type = type == "directional" ? LightType::Directional
                 : type == "spot"      ? LightType::Spot
                                       : LightType::Point;
    readVector<3>(source, "color", light.color);
    light.intensity = jsonOr(source, "intensity", 1.0F);
    light.range = jsonOr(source, "range", std::numeric_limits<float>::infinity());
    return light;
}

}  // namespace

void readImages(const Json& document, const GltfAccessors& accessors,
                const std::filesystem::path& folder, Scene& scene) {
    const Json& images = jsonArray(document, "images");
    for (std::size_t i = 0; i < images.size(); ++i)
        scene.images.push_back(readImage(i, images[i], accessors, folder, scene));
}

Material parseMaterial(const Json& source) {
    Material material;
    material.source = source;
    material.name = jsonOr<std::string>(source, "name", "");
    const Json& pbr = jsonObject(source, "pbrMetallicRoughness");
    const Json& extensions = jsonObject(source, "extensions");
    readVector<4>(pbr, "baseColorFactor", material.baseColor);
    readVector<3>(source, "emissiveFactor", material.emissive);
    material.emissive *=
        jsonOr(jsonObject(extensions, "KHR_materials_emissive_strength"), "emissiveStrength", 1.0F);
    material.metallic = jsonOr(pbr, "metallicFactor", 1.0F);
    material.roughness = jsonOr(pbr, "roughnessFactor", 1.0F);
    material.alphaMode = alphaModeOf(source);
    material.alphaCutoff = jsonOr(source, "alphaCutoff", 0.5F);
    material.doubleSided = jsonOr(source, "doubleSided", false);
    material.unlit = extensions.contains("KHR_materials_unlit");
    forEachTexture(source, [&](const std::string& role, const Json& use) {
        material.textures.push_back(parseUse(role, use));
    });
    return material;
}

void readMaterials(const Json& document, Scene& scene) {
    readTextures(document, scene);
    const Json& materials = jsonArray(document, "materials");
    for (std::size_t i = 0; i < materials.size(); ++i) {
        Material material = parseMaterial(materials[i]);
        if (material.name.empty()) material.name = fmt::format("material {}", i);
        scene.materials.push_back(std::move(material));
    }
    const Json& extensions = jsonObject(document, "extensions");
    for (const Json& light : jsonArray(jsonObject(extensions, "KHR_lights_punctual"), "lights"))
        scene.lights.push_back(parseLight(light));
}

}  // namespace flentro
