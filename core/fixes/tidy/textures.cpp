#include "fixes/tidy/textures.h"

#include <algorithm>
#include <array>
#include <set>

#include "base/index.h"
#include "base/parallel.h"
#include "fixes/seen_pixels.h"
#include "io/gltf_materials.h"
#include "picture/image_facts.h"
#include "picture/texels.h"
#include "scene/prune.h"
#include "scene/references.h"

namespace flentro {
namespace {

constexpr int kLinear = 9729;         ///< glTF minFilter without mip maps.
constexpr int kLinearMipMaps = 9987;  ///< With them, between them as well.
constexpr int kFlat = 3;              ///< Of 255: a normal map this near to straight up is flat.
constexpr int kLargestEdge = 16384;

/// Multiplies the numbers of a factor with what the texture showed everywhere.
void scale(Json& holder, const char* key, std::size_t count, std::initializer_list<double> by) {
    std::vector<double> factor(count, 1);
    const Json& own = jsonArray(holder, key);
    for (std::size_t i = 0; i < count && i < own.size(); ++i)
        if (own[i].is_number()) factor[i] = own[i].get<double>();
    std::size_t i = 0;
    for (const double value : by) factor[i++] *= value;
    holder[key] = factor;
}

double linear(std::uint8_t byte) {
    return static_cast<double>(toLinear(static_cast<float>(byte) / 255));
}

/// A normal map that is flat or an occlusion map that darkens nothing.
bool showsNothing(const std::string& role, const std::array<std::uint8_t, 4>& c) {
    if (role == "occlusionTexture") return c[0] >= 255 - 2;
    const auto isFlat = [](int byte) { return std::abs(byte - 128) <= kFlat; };
    return role == "normalTexture" && isFlat(c[0]) && isFlat(c[1]);
}

/// Puts an image of one colour into the material's numbers; false where there are none for it.
bool replaceByNumber(Json& json, const std::string& role, const std::array<std::uint8_t, 4>& c) {
    Json& pbr = objectAt(json, "pbrMetallicRoughness");
    const auto share = [&](std::size_t i) { return c[i] / 255.0; };
    if (role == "baseColorTexture") {
        scale(pbr, "baseColorFactor", 4, {linear(c[0]), linear(c[1]), linear(c[2]), share(3)});
        pbr.erase(role);
    } else if (role == "metallicRoughnessTexture") {
        pbr["roughnessFactor"] = jsonOr(pbr, "roughnessFactor", 1.0) * share(1);
        pbr["metallicFactor"] = jsonOr(pbr, "metallicFactor", 1.0) * share(2);
        pbr.erase(role);
    } else if (role == "emissiveTexture") {
        Json factor = json.contains("emissiveFactor") ? json["emissiveFactor"] : Json({0, 0, 0});
        json["emissiveFactor"] = factor;
        scale(json, "emissiveFactor", 3, {linear(c[0]), linear(c[1]), linear(c[2])});
        json.erase(role);
    } else if (showsNothing(role, c)) {
        json.erase(role);
    } else {
        return false;
    }
    return true;
}

class TextureTidier {
public:
    TextureTidier(Scene& scene, std::vector<ImageFacts> facts)
        : scene_(scene), facts_(std::move(facts)), fixed_(animatedMaterials(scene)) {
        const std::vector<bool> kept = keptMaterials(scene);
        for (std::size_t m = 0; m < fixed_.size(); ++m) fixed_[m] = fixed_[m] || kept[m];
    }

    TidiedTextures run() {
        for (std::size_t m = 0; m < scene_.materials.size(); ++m)
            if (!fixed_[m]) replaceOneColours(m);
        dropAlphas();
        for (Sampler& sampler : scene_.samplers) {
            if (sampler.minFilter != kLinear) continue;
            sampler.minFilter = kLinearMipMaps;
            sampler.rest["minFilter"] = kLinearMipMaps;
            ++tidied_.filters;
        }
        tidied_.unused = pruneUnused(scene_).images;
        return tidied_;
    }

private:
    [[nodiscard]] int imageOf(const TextureUse& use) const { return scene_.imageOf(use.texture); }

    void replaceOneColours(std::size_t index) {
        const Material& material = scene_.materials[index];
        Json json = material.source.is_object() ? material.source : Json::object();
        bool changed = false;
        for (const TextureUse& use : material.textures) {
            const int image = imageOf(use);
            if (image < 0) continue;
            const ImageFacts& facts = elementOf(facts_, image);
            if (!facts.isOneColour() || !replaceByNumber(json, use.role, facts.least)) continue;
            ++tidied_.oneColour;
            changed = true;
        }
        if (!changed) return;
        const std::string name = material.name;
        scene_.materials[index] = parseMaterial(json);
        scene_.materials[index].name = name;
    }

    /// [images] True where some material reads alpha, or may.
    [[nodiscard]] std::vector<bool> readAlphas() const {
        static const std::set<std::string> kWithout = {
            "metallicRoughnessTexture", "normalTexture",    "occlusionTexture",
            "emissiveTexture",          "clearcoatTexture", "clearcoatRoughnessTexture",
            "clearcoatNormalTexture"};
        std::vector<bool> read(scene_.images.size(), false);
        for (std::size_t m = 0; m < scene_.materials.size(); ++m)
            for (const TextureUse& use : scene_.materials[m].textures) {
                const int image = imageOf(use);
                const bool isColor = use.role == "baseColorTexture";
                const bool reads = isColor ? scene_.materials[m].alphaMode != AlphaMode::Opaque
                                           : !kWithout.contains(use.role);
                if (image >= 0 && (reads || fixed_[m])) elementOf(read, image) = true;
            }
        return read;
    }

    void dropAlphas() {
        const std::vector<bool> read = readAlphas();
        for (std::size_t i = 0; i < scene_.images.size(); ++i) {
            Image& image = scene_.images[i];
            const bool has = image.channels == 2 || image.channels == 4;
            if (!has || image.mime != "image/png" || !facts_[i].isKnown || hasDeepChannels(image) ||
                (read[i] && facts_[i].least[3] < 255))
                continue;
            if (facts_[i].looksCutOut()) {
                tidied_.cutOuts.push_back(image.name.empty() ? image.uri : image.name);
                continue;
            }
            const auto pixels = decodeImage(image, kLargestEdge);
            if (!pixels) continue;
            const Hash source = image.source();
            Image opaque = image;
            opaque.channels -= 1;
            auto bytes = encodeLike(opaque, *pixels);
            if (image.data && bytes.size() > image.data->size()) {
                ++tidied_.larger;
                continue;
            }
            image.channels = opaque.channels;
            image.madeFrom = source;
            image.hash = hashBytes(bytes);
            image.data = std::make_shared<const std::vector<std::byte>>(std::move(bytes));
            ++tidied_.alphas;
        }
    }

    Scene& scene_;
    const std::vector<ImageFacts> facts_;
    std::vector<bool> fixed_;
    TidiedTextures tidied_;
};

}  // namespace

Expected<TidiedTextures> tidyTextures(Scene& scene, Progress& progress) {
    auto facts = imageFacts(scene, progress);
    if (!facts) return tl::unexpected(facts.error());
    return TextureTidier(scene, std::move(*facts)).run();
}

}  // namespace flentro
