#include "fixes/masks/masks.h"

#include <fmt/format.h>

#include <algorithm>
#include <map>
#include <set>

#include "base/index.h"
#include "base/text.h"
#include "fixes/seen_pixels.h"
#include "io/gltf_materials.h"
#include "measure/texture_memory.h"
#include "picture/resample.h"
#include "scene/prune.h"
#include "scene/references.h"
#include "scene/texture_use.h"

namespace flentro {
namespace {

using Pair = std::pair<int, int>;  ///< Images of occlusion, and of roughness and metalness.

class Joiner {
public:
    Joiner(const Scene& scene, const MaskSettings& settings, const Target& target)
        : scene_(scene), settings_(settings), target_(target), memory_(scene, target) {
        const std::vector<bool> kept = keptMaterials(scene);
        const std::vector<bool> animated = animatedMaterials(scene);
        for (std::size_t m = 0; m < scene.materials.size(); ++m)
            if (!kept[m] && !animated[m]) consider(m);
        dropShared();
    }

    [[nodiscard]] const std::map<Pair, std::vector<std::size_t>>& pairs() const { return pairs_; }

    /// The image that holds both; no data where it would take more memory or cannot be read.
    [[nodiscard]] Image join(const Pair& pair, JoinedMask& told) const {
        const Image& occlusion = imageAt(pair.first);
        const Image& other = imageAt(pair.second);
        told = {occlusion.name, other.name, std::max(occlusion.width, other.width),
                std::max(occlusion.height, other.height), 0};
        const double before = memory_.of(static_cast<std::size_t>(pair.first)) +
                              memory_.of(static_cast<std::size_t>(pair.second));
        told.bytesSaved =
            before - textureBytes(told.width, told.height, TextureClass::PackedMasks, target_);
        if (told.bytesSaved <= 0) return {};
        const auto red = decodeImage(occlusion, settings_.maxEdge);
        const auto rest = decodeImage(other, settings_.maxEdge);
        if (!red || !rest) return {};
        Pixels joined = resizeImage(*rest, told.width, told.height);
        const Pixels resized = resizeImage(*red, told.width, told.height);
        for (std::size_t i = 0; i < joined.rgba.size(); i += 4) {
            joined.rgba[i] = resized.rgba[i];
            joined.rgba[i + 3] = 255;
        }
        return pngImage(other.name + " + " + occlusion.name, joined, 3);
    }

private:
    [[nodiscard]] const Image& imageAt(int index) const { return elementOf(scene_.images, index); }
    [[nodiscard]] const Texture& textureOf(const TextureUse& use) const {
        return elementOf(scene_.textures, use.texture);
    }
    [[nodiscard]] bool isReadable(int index) const {
        if (index < 0) return false;
        const Image& image = imageAt(index);
        return image.data && image.mime != "image/ktx2" && !hasDeepChannels(image) &&
               std::max(image.width, image.height) <= settings_.maxEdge;
    }

    void consider(std::size_t index) {
        const TextureUse* a = useOf(scene_.materials[index], "occlusionTexture");
        const TextureUse* b = useOf(scene_.materials[index], "metallicRoughnessTexture");
        if (!a || !b || a->texCoord != b->texCoord || a->transform != b->transform) return;
        const Texture& first = textureOf(*a);
        const Texture& second = textureOf(*b);
        if (first.image == second.image || first.sampler != second.sampler ||
            first.formatImage >= 0 || second.formatImage >= 0 || !isReadable(first.image) ||
            !isReadable(second.image))
            return;
        pairs_[{first.image, second.image}].push_back(index);
    }

    /// An image that others read as well does not go: joining would only add one.
    void dropShared() {
        std::map<int, std::set<std::size_t>> readers;
        for (std::size_t m = 0; m < scene_.materials.size(); ++m)
            for (const TextureUse& use : scene_.materials[m].textures)
                readers[textureOf(use).image].insert(m);
        std::erase_if(pairs_, [&](const auto& entry) {
            const auto& [pair, materials] = entry;
            return readers[pair.first].size() > materials.size() ||
                   readers[pair.second].size() > materials.size();
        });
    }

    const Scene& scene_;
    const MaskSettings& settings_;
    const Target& target_;
    const TextureMemory memory_;
    std::map<Pair, std::vector<std::size_t>> pairs_;  ///< Materials of each.
};

/// Lets a material read both from one texture.
void readFrom(Material& material, int texture) {
    Json json = material.source;
    objectAt(objectAt(json, "pbrMetallicRoughness"), "metallicRoughnessTexture")["index"] = texture;
    objectAt(json, "occlusionTexture")["index"] = texture;
    const std::string name = material.name;
    material = parseMaterial(json);
    material.name = name;
}

}  // namespace

Json MaskReport::describe(const Scene&) const {
    Json rows = Json::array();
    for (const JoinedMask& row : masks)
        rows.push_back({{"occlusion", row.occlusion},
                        {"other", row.other},
                        {"size", {row.width, row.height}},
                        {"bytesSaved", row.bytesSaved}});
    return {{"masks", rows}};
}

Expected<Fixed> applyMasks(const Scene& scene, const MaskSettings& settings, const Target& target,
                           Progress& progress) {
    Fixed result{scene, {}};
    const Joiner joiner(scene, settings, target);
    auto report = std::make_shared<MaskReport>();
    double saved = 0;
    std::size_t done = 0;
    for (const auto& [pair, materials] : joiner.pairs()) {
        if (progress.cancelled()) return stopped("Joining masks");
        progress.report(static_cast<double>(done++) / static_cast<double>(joiner.pairs().size()),
                        "Joining masks");
        JoinedMask told;
        Image image = joiner.join(pair, told);
        if (!image.data) continue;
        Texture texture;
        texture.name = image.name;
        texture.image = static_cast<int>(result.scene.images.size());
        const int role = scene.materials[materials.front()].texture("metallicRoughnessTexture");
        texture.sampler = elementOf(scene.textures, role).sampler;
        result.scene.images.push_back(std::move(image));
        result.scene.textures.push_back(std::move(texture));
        for (const std::size_t m : materials)
            readFrom(result.scene.materials[m], static_cast<int>(result.scene.textures.size()) - 1);
        saved += told.bytesSaved;
        report->masks.push_back(std::move(told));
    }
    if (!report->masks.empty()) pruneUnused(result.scene);
    result.record.summary =
        fmt::format("{} became one with the map beside it: {} of texture memory less",
                    counted(report->masks.size(), "occlusion map"), formatBytes(saved));
    result.record.report = std::move(report);
    return result;
}

}  // namespace flentro
