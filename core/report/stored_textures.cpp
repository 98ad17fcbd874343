#include "report/stored_textures.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>
#include <set>

#include "base/index.h"
#include "base/parallel.h"
#include "measure/texture_memory.h"
#include "picture/block_codec.h"
#include "picture/resample.h"

namespace flentro {
namespace {

constexpr int kLargestEdge = 16384;

/// Formats that hold a class, smallest first.
std::vector<BlockFormat> formatsFor(TextureClass use, bool isAstc) {
    using F = BlockFormat;
    if (isAstc) return {F::Astc8x8, F::Astc6x6, F::Astc5x5, F::Astc4x4};
    switch (use) {
        case TextureClass::Normal:
            return {F::Bc5};
        case TextureClass::Mask:
            return {F::Bc4};
        case TextureClass::ColorWithAlpha:
            return {F::Bc3};
        default:
            return {F::Bc1, F::Bc3};
    }
}

bool storesAstc(const Target& target, TextureClass use) {
    return elementOf(target.storage, use).format.starts_with("astc");
}

bool isColor(TextureClass use) {
    return use == TextureClass::Color || use == TextureClass::ColorWithAlpha;
}

/// The image and its mip maps, each from the whole of it.
std::vector<Pixels> chainOf(const Pixels& pixels, TextureClass use, bool withMipMaps) {
    std::vector<Pixels> chain = {pixels};
    while (withMipMaps && std::max(chain.back().width, chain.back().height) > 1) {
        const Pixels& last = chain.back();
        chain.push_back(
            resample(last, std::max(1, last.width / 2), std::max(1, last.height / 2), {use, 0, 0}));
    }
    return chain;
}

struct Stored {
    StoredTexture about;
    Bytes file;
};

std::optional<Stored> store(const Image& image, TextureClass use, const Target& target,
                            const TextureStorageSettings& settings) {
    const auto pixels = decodeImage(image, kLargestEdge);
    if (!pixels || pixels->rgba.empty()) return std::nullopt;
    const bool isAstc = storesAstc(target, use);
    Stored stored;
    std::optional<BlockFormat> chosen;
    for (const BlockFormat format : formatsFor(use, isAstc)) {
        const auto blocks = encodeBlocks(*pixels, format, use);
        if (!blocks) continue;
        const auto again = decodeBlocks(*blocks, pixels->width, pixels->height, format, use);
        if (!again) continue;
        const StorageLoss loss = lossOf(*pixels, *again, use);
        chosen = format;
        stored.about.decibels = std::isfinite(loss.decibels) ? loss.decibels : 0;
        stored.about.degrees = loss.degrees;
        stored.about.isWithin = use == TextureClass::Normal ? loss.degrees <= settings.maxDegrees
                                                            : loss.decibels >= settings.minDecibels;
        if (stored.about.isWithin) break;
    }
    if (!chosen) return std::nullopt;
    std::vector<BlockLevel> levels;
    for (const Pixels& level : chainOf(*pixels, use, target.mipMaps)) {
        auto blocks = encodeBlocks(level, *chosen, use);
        if (!blocks) return std::nullopt;
        stored.about.memory += blocks->size();
        levels.push_back({level.width, level.height, std::move(*blocks)});
    }
    stored.about.image = image.name;
    stored.about.format = infoOf(*chosen).key;
    stored.about.use = textureClassKey(use);
    stored.about.width = image.width;
    stored.about.height = image.height;
    stored.about.levels = levels.size();
    stored.file = writeKtx2(*chosen, isColor(use), levels);
    stored.about.fileBytes = stored.file.size();
    return stored;
}

/// A file name of letters, digits and a few marks, other than those before.
std::string fileNameFor(const std::string& name, std::set<std::string>& taken) {
    std::string plain;
    for (const char c : name.substr(0, 80))
        plain += std::isalnum(static_cast<unsigned char>(c)) || c == '-' || c == '_' ? c : '_';
    if (plain.empty()) plain = "image";
    std::string unique = plain;
    for (int i = 2; !taken.insert(unique).second; ++i) unique = fmt::format("{}_{}", plain, i);
    return unique + ".ktx2";
}

/// Images that materials of the scene read.
std::vector<std::size_t> imagesRead(const Scene& scene) {
    std::set<std::size_t> images;
    for (const Material& material : scene.materials)
        for (const TextureUse& use : material.textures) {
            const int image = scene.imageOf(use.texture);
            if (image >= 0 && elementOf(scene.images, image).data)
                images.insert(static_cast<std::size_t>(image));
        }
    return {images.begin(), images.end()};
}

}  // namespace

std::filesystem::path texturesFolder(const std::filesystem::path& scenePath) {
    return std::filesystem::path(scenePath).replace_extension(".textures");
}

Expected<std::vector<StoredTexture>> storeTextures(const Scene& scene, const Target& target,
                                                   const std::filesystem::path& scenePath,
                                                   const TextureStorageSettings& settings,
                                                   Progress& progress, FileSet& files) {
    const std::vector<TextureClass> classes = textureClasses(scene);
    const std::vector<std::size_t> images = imagesRead(scene);
    std::vector<std::optional<Stored>> stored(images.size());
    if (!parallelFor(images.size(), "Storing textures", progress, [&](std::size_t i) {
            stored[i] = store(scene.images[images[i]], classes[images[i]], target, settings);
        }))
        return stopped("Storing textures");
    const std::filesystem::path folder = texturesFolder(scenePath);
    if (auto made = makeFolder(folder); !made) return tl::unexpected(made.error());
    std::vector<StoredTexture> result;
    std::set<std::string> taken;
    for (std::optional<Stored>& one : stored) {
        if (!one) continue;
        const std::string name = fileNameFor(one->about.image, taken);
        one->about.file = (folder.filename() / name).string();
        if (auto added = files.add(folder / name, one->file); !added)
            return tl::unexpected(added.error());
        result.push_back(std::move(one->about));
    }
    return result;
}

Json toJson(const StoredTexture& texture) {
    Json json = {{"image", texture.image},        {"file", texture.file},
                 {"format", texture.format},      {"class", texture.use},
                 {"width", texture.width},        {"height", texture.height},
                 {"levels", texture.levels},      {"fileBytes", texture.fileBytes},
                 {"memoryBytes", texture.memory}, {"withinLoss", texture.isWithin}};
    if (texture.use == textureClassKey(TextureClass::Normal))
        json["meanDegrees"] = texture.degrees;
    else if (texture.decibels > 0)
        json["decibels"] = texture.decibels;
    return json;
}

}  // namespace flentro
