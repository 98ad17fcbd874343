#include "materials.h"

#include <assimp/GltfMaterial.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <optional>

#include "base/text.h"
#include "prepare.h"

namespace flentro {
namespace {

float unit(float value, float fallback = 1) {
    return std::clamp(finiteOr(value, fallback), 0.0F, 1.0F);
}

/// What shines of itself and what it reflects came to no more than white together.
void dimByEmission(const aiColor3D& emissive, Json& pbr) {
    Json& color = pbr["baseColorFactor"];
    const std::array by = {emissive.r, emissive.g, emissive.b};
    for (std::size_t i = 0; i < 3; ++i)
        color[i] = std::min(color[i].get<float>(), 1 - unit(by[i], 0));
}

/// The first texture that the material has of these kinds.
std::optional<std::pair<aiTextureType, std::string>> findTexture(
    const aiMaterial& source, std::initializer_list<aiTextureType> types) {
    for (const aiTextureType type : types) {
        aiString path;
        if (source.GetTexture(type, 0, &path) == aiReturn_SUCCESS && path.length > 0)
            return std::pair(type, std::string(path.C_Str()));
    }
    return std::nullopt;
}

constexpr std::initializer_list<aiTextureType> kColors = {aiTextureType_BASE_COLOR,
                                                          aiTextureType_DIFFUSE};

/// Highlights as sharp as those of a Phong exponent (B. Walter et al. 2007).
float roughnessFor(float shininess) {
    return std::clamp(std::sqrt(2 / (shininess + 2)), 0.1F, 1.0F);
}

int wrapCode(int mode) {
    constexpr int kRepeat = 10497, kMirror = 33648, kClamp = 33071;
    return mode == aiTextureMapMode_Mirror                                    ? kMirror
           : mode == aiTextureMapMode_Clamp || mode == aiTextureMapMode_Decal ? kClamp
                                                                              : kRepeat;
}

}  // namespace

void MaterialConverter::run() {
    for (unsigned i = 0; i < source_.mNumMaterials; ++i) add(*source_.mMaterials[i]);
    tellTotals();
}

void MaterialConverter::add(const aiMaterial& source) {
    Json material = describe(source);
    aiString given;
    source.Get(AI_MATKEY_NAME, given);
    std::string name = given.C_Str();
    if (name.ends_with(kTwoSided)) {
        name.resize(name.size() - std::string_view(kTwoSided).size());
        material["doubleSided"] = true;
    }
    const std::string key = material.dump(-1, ' ', false, Json::error_handler_t::replace);
    const auto [at, isNew] = known_.try_emplace(key, static_cast<int>(scene_.materials.size()));
    materialOf_.push_back(at->second);
    if (!isNew) return;
    material["name"] = name;
    Material result;
    result.name = name;
    result.source = std::move(material);
    scene_.materials.push_back(std::move(result));
}

Json MaterialConverter::describe(const aiMaterial& source) {
    Json material;
    setBase(source, material);
    setSurface(source, material);
    setOpacity(source, material);
    setEmission(source, material);
    setNormals(source, material);
    int twoSided = 0;
    source.Get(AI_MATKEY_TWOSIDED, twoSided);
    if (twoSided) material["doubleSided"] = true;
    int shading = 0;
    if (source.Get(AI_MATKEY_SHADING_MODEL, shading) == aiReturn_SUCCESS &&
        shading == aiShadingMode_NoShading)
        material["extensions"]["KHR_materials_unlit"] = Json::object();
    for (const auto& [type, what] : {std::pair(aiTextureType_SPECULAR, "specular"),
                                     std::pair(aiTextureType_SHININESS, "gloss"),
                                     std::pair(aiTextureType_DISPLACEMENT, "displacement"),
                                     std::pair(aiTextureType_REFLECTION, "reflection")})
        if (findTexture(source, {type})) ++totals_.leftOut[what];
    return material;
}

void MaterialConverter::setBase(const aiMaterial& source, Json& material) {
    aiColor4D color(1, 1, 1, 1);
    if (source.Get(AI_MATKEY_BASE_COLOR, color) != aiReturn_SUCCESS)
        source.Get(AI_MATKEY_COLOR_DIFFUSE, color);
    Json& pbr = material["pbrMetallicRoughness"];
    const auto texture = findTexture(source, kColors);
    if (texture) {
        pbr["baseColorTexture"] =
            textureInfo(source, texture->first, images_.image(texture->second));
        if (color.r == 0 && color.g == 0 && color.b == 0) {
            color = aiColor4D(1, 1, 1, color.a);
            ++totals_.blackColors;
        }
    }
    pbr["baseColorFactor"] = {unit(color.r), unit(color.g), unit(color.b), 1.0F};
}

void MaterialConverter::setSurface(const aiMaterial& source, Json& material) {
    Json& pbr = material["pbrMetallicRoughness"];
    float metallic = 0;
    source.Get(AI_MATKEY_METALLIC_FACTOR, metallic);
    float roughness = 0.9F;
    float shininess = 0;
    aiColor3D specular(0, 0, 0);
    source.Get(AI_MATKEY_COLOR_SPECULAR, specular);
    const bool shines = std::max({specular.r, specular.g, specular.b}) > 0.05F;
    if (source.Get(AI_MATKEY_ROUGHNESS_FACTOR, roughness) != aiReturn_SUCCESS && shines &&
        source.Get(AI_MATKEY_SHININESS, shininess) == aiReturn_SUCCESS && shininess > 0)
        roughness = roughnessFor(shininess);
    const auto rough = findTexture(source, {aiTextureType_DIFFUSE_ROUGHNESS});
    const auto metal = findTexture(source, {aiTextureType_METALNESS});
    if (rough || metal) {
        const int packed = images_.roughnessAndMetalness(rough ? images_.image(rough->second) : -1,
                                                         metal ? images_.image(metal->second) : -1);
        if (packed >= 0) {
            pbr["metallicRoughnessTexture"] =
                textureInfo(source, rough ? rough->first : metal->first, packed);
            if (rough) roughness = 1;
            if (metal) metallic = 1;
        }
    }
    pbr["metallicFactor"] = unit(metallic, 0);
    pbr["roughnessFactor"] = unit(roughness, 0.9F);
    if (const auto occlusion =
            findTexture(source, {aiTextureType_AMBIENT_OCCLUSION, aiTextureType_LIGHTMAP}))
        material["occlusionTexture"] =
            textureInfo(source, occlusion->first, images_.image(occlusion->second));
}

/// Opacity of the whole, of a picture of its own, or in the alpha channel of the colours: mostly
/// clear or solid is a cut-out, what lies between is blended.
void MaterialConverter::setOpacity(const aiMaterial& source, Json& material) {
    Json& pbr = material["pbrMetallicRoughness"];
    float opacity = 1;
    source.Get(AI_MATKEY_OPACITY, opacity);
    pbr["baseColorFactor"][3] = unit(opacity);
    const auto color = findTexture(source, kColors);
    int image = color ? images_.image(color->second) : -1;
    if (const auto mask = findTexture(source, {aiTextureType_OPACITY})) {
        const int maskImage = images_.image(mask->second);
        const int both = maskImage == image && images_.alphaOf(image)
                             ? image
                             : images_.withOpacity(image, maskImage);
        if (both >= 0) {
            image = both;
            pbr["baseColorTexture"] =
                textureInfo(source, color ? color->first : mask->first, image);
        }
    }
    constexpr double kNoise = 0.005;
    const auto alpha = image >= 0 ? images_.alphaOf(image) : std::nullopt;
    const bool isOpen = alpha && alpha->clear + alpha->between > kNoise;
    if (opacity <= 0) ++totals_.invisible;
    if (opacity < 1 || (isOpen && alpha->between >= alpha->clear && alpha->between > kNoise)) {
        material["alphaMode"] = "BLEND";
        ++totals_.blended;
    } else if (isOpen) {
        material["alphaMode"] = "MASK";
        ++totals_.cutOut;
    }
}

/// Older formats add emission to what the picture then colours: as a factor alone it would wash
/// everything out to grey.
void MaterialConverter::setEmission(const aiMaterial& source, Json& material) {
    aiColor3D emissive(0, 0, 0);
    source.Get(AI_MATKEY_COLOR_EMISSIVE, emissive);
    const auto own = findTexture(source, {aiTextureType_EMISSION_COLOR, aiTextureType_EMISSIVE});
    if (own) {
        material["emissiveTexture"] = textureInfo(source, own->first, images_.image(own->second));
        if (emissive.r <= 0 && emissive.g <= 0 && emissive.b <= 0) emissive = aiColor3D(1, 1, 1);
    }
    const Json& pbr = material["pbrMetallicRoughness"];
    const bool glows = emissive.r > 0 || emissive.g > 0 || emissive.b > 0;
    if (!own && glows) dimByEmission(emissive, material["pbrMetallicRoughness"]);
    if (!own && glows && pbr.contains("baseColorTexture"))
        material["emissiveTexture"] = pbr["baseColorTexture"];
    if (glows)
        material["emissiveFactor"] = {unit(emissive.r, 0), unit(emissive.g, 0),
                                      unit(emissive.b, 0)};
}

/// Files that call a map of normals a bump map are common: its texels tell.
void MaterialConverter::setNormals(const aiMaterial& source, Json& material) {
    const auto normals = findTexture(
        source, {aiTextureType_NORMALS, aiTextureType_NORMAL_CAMERA, aiTextureType_HEIGHT});
    if (!normals) return;
    const int image = images_.image(normals->second);
    if (normals->first != aiTextureType_HEIGHT || images_.looksLikeNormals(image))
        material["normalTexture"] = textureInfo(source, normals->first, image);
    else
        ++totals_.bumpMaps;
}

Json MaterialConverter::textureInfo(const aiMaterial& source, aiTextureType type, int image) {
    Json info = {{"index", textureFor(source, type, image)}};
    int set = 0;
    if (source.Get(AI_MATKEY_UVWSRC(type, 0), set) == aiReturn_SUCCESS && set > 0 && set < 8)
        info["texCoord"] = set;
    aiUVTransform move;
    if (source.Get(AI_MATKEY_UVTRANSFORM(type, 0), move) != aiReturn_SUCCESS) return info;
    if (std::fabs(move.mRotation) > 1e-5F) ++totals_.turnedTextures;
    const float su = finiteOr(move.mScaling.x, 1), sv = finiteOr(move.mScaling.y, 1);
    const float tu = finiteOr(move.mTranslation.x, 0), tv = finiteOr(move.mTranslation.y, 0);
    if (su == 1 && sv == 1 && tu == 0 && tv == 0) return info;
    // Coordinates were turned upside down, so the shift is as well.
    info["extensions"]["KHR_texture_transform"] = {{"scale", {su, sv}},
                                                   {"offset", {tu, 1 - sv - tv}}};
    return info;
}

int MaterialConverter::textureFor(const aiMaterial& source, aiTextureType type, int image) {
    int u = 0;
    int v = 0;
    source.Get(AI_MATKEY_MAPPINGMODE_U(type, 0), u);
    source.Get(AI_MATKEY_MAPPINGMODE_V(type, 0), v);
    Sampler sampler;
    sampler.rest = {{"magFilter", 9729},
                    {"minFilter", sampler.minFilter},
                    {"wrapS", wrapCode(u)},
                    {"wrapT", wrapCode(v)}};
    const std::string key = sampler.rest.dump();
    const auto [at, isNew] =
        textures_.try_emplace({image, key}, static_cast<int>(scene_.textures.size()));
    if (!isNew) return at->second;
    const auto same = std::find_if(scene_.samplers.begin(), scene_.samplers.end(),
                                   [&](const Sampler& s) { return s.rest == sampler.rest; });
    Texture texture;
    texture.image = image;
    texture.sampler = static_cast<int>(same - scene_.samplers.begin());
    if (same == scene_.samplers.end()) scene_.samplers.push_back(std::move(sampler));
    scene_.textures.push_back(std::move(texture));
    return at->second;
}

void MaterialConverter::tellTotals() {
    const auto tell = [&](std::size_t count, const char* what) {
        if (count > 0) scene_.notes.push_back({"materials", counted(count, "material") + what});
    };
    tell(totals_.cutOut, " cut out along the alpha channel of the picture");
    tell(totals_.blended, " blended, by opacity or the alpha channel of the picture");
    tell(totals_.blackColors, " black under a picture: the picture is shown as it is");
    tell(totals_.invisible, " with an opacity of 0: not to be seen");
    tell(totals_.bumpMaps, " with a height map, which glTF has no place for: left out");
    tell(totals_.turnedTextures, " with a turned picture: shown unturned");
    for (const auto& [kind, count] : totals_.leftOut)
        tell(count, (" with a " + kind + " map, which glTF has no place for: left out").c_str());
}

}  // namespace flentro
