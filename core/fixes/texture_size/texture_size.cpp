#include "fixes/texture_size/texture_size.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "base/text.h"
#include "fixes/done_list.h"
#include "measure/texture_memory.h"
#include "picture/resample.h"
#include "scene/texture_use.h"

namespace flentro {
namespace {

constexpr int kSmallestEdge = 4;
constexpr int kLargestEdge = 16384;

struct Size {
    int width = 0;
    int height = 0;
    [[nodiscard]] int edge() const { return std::max(width, height); }
    [[nodiscard]] Size half() const { return {std::max(1, width / 2), std::max(1, height / 2)}; }
    bool operator==(const Size&) const = default;
};

int floorPowerOfTwo(int value) {
    int power = 1;
    while (2 * power <= value) power *= 2;
    return power;
}

/// Both edges times `edge` / the longer one, in the steps asked for.
Size scaled(const Size& own, double edge, TextureSizeSettings::Steps steps) {
    const auto atLeast = [](int value, int before) {
        return std::max(value, std::min(before, kSmallestEdge));
    };
    Size size = own;
    if (steps == TextureSizeSettings::Steps::PowersOfTwo)
        size = {floorPowerOfTwo(own.width), floorPowerOfTwo(own.height)};
    if (steps == TextureSizeSettings::Steps::Exact) {
        const double factor = std::min(1.0, edge / own.edge());
        size = {static_cast<int>(std::ceil(own.width * factor)),
                static_cast<int>(std::ceil(own.height * factor))};
    } else {
        while (size.half().edge() >= edge && size.half().edge() >= kSmallestEdge)
            size = size.half();
    }
    return {atLeast(size.width, own.width), atLeast(size.height, own.height)};
}

/// Halved until no edge is longer.
Size capped(Size size, double limit) {
    while (size.edge() > limit && size.edge() > kSmallestEdge) size = size.half();
    return size;
}

/// [images] What materials and the assets that show them say of each.
struct Usage {
    double allowance = 0;  ///< The least of the assets that show it; 0: to be kept.
    bool isShown = false;
    double alphaCutoff = 0;  ///< Of cut-outs.
};

std::vector<Usage> usages(const Scene& scene) {
    std::vector<double> ofMaterial(scene.materials.size(), -1);
    for (const Asset& asset : scene.assets)
        for (std::size_t level = 0; level < asset.levelCount(); ++level)
            for (const Part& part : asset.level(level)->parts) {
                if (part.material < 0) continue;
                double& least = elementOf(ofMaterial, part.material);
                const double own = errorScale(asset.importance);
                least = least < 0 ? own : std::min(least, own);
            }
    std::vector<Usage> all(scene.images.size());
    const auto note = [&](int image, const Material& material, const TextureUse& use,
                          double least) {
        if (image < 0) return;
        Usage& usage = elementOf(all, image);
        const double own = least < 0 ? 1 : least;
        usage.allowance = usage.isShown ? std::min(usage.allowance, own) : own;
        usage.isShown = true;
        if (material.alphaMode == AlphaMode::Mask && use.role == "baseColorTexture")
            usage.alphaCutoff = static_cast<double>(material.alphaCutoff);
    };
    for (std::size_t m = 0; m < scene.materials.size(); ++m)
        for (const TextureUse& use : scene.materials[m].textures) {
            const Texture& texture = elementOf(scene.textures, use.texture);
            note(texture.image, scene.materials[m], use, ofMaterial[m]);
            if (texture.formatImage != texture.image)
                note(texture.formatImage, scene.materials[m], use, ofMaterial[m]);
        }
    return all;
}

/// [images] The classes, those of formats for programs that read them as the images beside them.
std::vector<TextureClass> classesOf(const Scene& scene) {
    std::vector<TextureClass> classes = textureClasses(scene);
    for (const Texture& texture : scene.textures)
        if (texture.image >= 0 && texture.formatImage >= 0)
            elementOf(classes, texture.formatImage) = elementOf(classes, texture.image);
    return classes;
}

/// Why an image cannot be resized; empty if it can.
std::string obstacleOf(const Image& image) {
    if (!image.data) return "missing";
    if (image.mime == "image/ktx2") return "in KTX2, which cannot be decoded here";
    if (hasDeepChannels(image)) return "of 16 bits a channel";
    if (std::max(image.width, image.height) > kLargestEdge) return "too large to decode";
    return "";
}

/// Normal map and roughness factor of the materials that show a roughness map.
struct Relief {
    int normal = -1;  ///< Image; -1: none, or the materials differ.
    float roughness = 1;
    std::size_t materials = 0;
};

/// [images] Of images that hold roughness: what lies over them texel by texel, in all materials
/// that show them.
std::vector<Relief> reliefs(const Scene& scene) {
    std::vector<Relief> all(scene.images.size());
    for (const Material& material : scene.materials) {
        const TextureUse* rough = useOf(material, "metallicRoughnessTexture");
        const int image = rough ? scene.imageOf(rough->texture) : -1;
        if (image < 0) continue;
        const TextureUse* normal = useOf(material, "normalTexture");
        const bool fits =
            normal && normal->texCoord == rough->texCoord && normal->transform == rough->transform;
        const Relief own{fits ? scene.imageOf(normal->texture) : -1, material.roughness, 1};
        Relief& relief = elementOf(all, image);
        if (relief.materials++ == 0)
            relief = own;
        else if (relief.normal != own.normal || relief.roughness != own.roughness)
            relief.normal = -1;
    }
    return all;
}

/// Plans sizes; resizes images into slots of their own.
class Sizer {
public:
    Sizer(const Scene& scene, const TextureSizeSettings& settings, const Target& target,
          const Evidence& evidence)
        : scene_(scene),
          settings_(settings),
          target_(target),
          evidence_(evidence),
          usages_(usages(scene)),
          classes_(classesOf(scene)),
          reliefs_(reliefs(scene)),
          sizes_(scene.images.size()),
          needs_(scene.images.size(), 0),
          made_(scene.images.size()) {
        for (std::size_t i = 0; i < sizes_.size(); ++i) sizes_[i] = plan(i);
    }

    [[nodiscard]] bool run(Progress& progress) {
        std::vector<std::size_t> wanted;
        for (std::size_t i = 0; i < sizes_.size(); ++i)
            if (isSmaller(i) || losesRelief(i)) wanted.push_back(i);
        return parallelFor(wanted.size(), "Resizing textures", progress,
                           [&](std::size_t k) { resize(wanted[k]); });
    }

    struct Made {
        Image image;
        double difference = 0;
        std::vector<float> normalLengths;  ///< [height * width] Of normal maps.
        std::size_t softened = 0;          ///< Materials whose roughness it holds, if it changed.
        std::string problem;
    };
    [[nodiscard]] const Made& made(std::size_t image) const { return made_[image]; }
    [[nodiscard]] bool isSmaller(std::size_t image) const {
        const Image& own = scene_.images[image];
        return !(sizes_[image] == Size{own.width, own.height});
    }
    /// True for a roughness map whose normal map becomes smaller.
    [[nodiscard]] bool losesRelief(std::size_t image) const {
        const int normal = reliefs_[image].normal;
        return settings_.softenHighlights && normal >= 0 &&
               obstacleOf(scene_.images[image]).empty() && usages_[image].allowance > 0 &&
               isSmaller(static_cast<std::size_t>(normal));
    }
    [[nodiscard]] bool isShown(std::size_t image) const { return usages_[image].isShown; }
    [[nodiscard]] int need(std::size_t image) const { return needs_[image]; }
    [[nodiscard]] TextureClass use(std::size_t image) const { return classes_[image]; }

private:
    [[nodiscard]] Size plan(std::size_t index) {
        const Image& image = scene_.images[index];
        const Size own{image.width, image.height};
        const Usage& usage = usages_[index];
        if (own.edge() <= 0 || !obstacleOf(image).empty() || !usage.isShown) return own;
        const auto byHand = settings_.overrides.find(image.name);
        if (byHand != settings_.overrides.end())
            return scaled(own, byHand->second, settings_.steps);
        if (usage.allowance <= 0) return own;
        const Evidence::ImageNeed* need = evidence_.needOf(image);
        if (need) needs_[index] = need->edge;
        double edge = own.edge();
        if (need && need->edge > 0 && settings_.texelsPerPixel > 0)
            edge = std::min(edge, need->edge * settings_.texelsPerPixel / usage.allowance);
        if (need && need->edge == 0 && settings_.unseenEdge > 0)
            edge = std::min<double>(edge, settings_.unseenEdge);
        Size size = scaled(own, edge, settings_.steps);
        const double limit = at(target_.limits, Measure::TextureEdge);
        if (settings_.capEdge && isLimit(limit)) size = capped(size, limit);
        for (int i = 0; i < settings_.halvings && size.edge() / 2 >= kSmallestEdge; ++i)
            size = {std::max(1, size.width / 2), std::max(1, size.height / 2)};
        return size;
    }

    void resize(std::size_t index) {
        const Image& image = scene_.images[index];
        Made& made = made_[index];
        const auto pixels = decodeImage(image, kLargestEdge);
        if (!pixels) {
            made.problem = "cannot be decoded";
            return;
        }
        const Size& size = sizes_[index];
        Pixels smaller =
            resample(*pixels, size.width, size.height,
                     {classes_[index], settings_.sharpness, usages_[index].alphaCutoff});
        made.difference = differenceAsSeen(*pixels, smaller, index);
        if (losesRelief(index)) made.softened = roughen(index, smaller);
        if (made.softened == 0 && !isSmaller(index)) return;
        auto bytes = std::make_shared<const std::vector<std::byte>>(encodeLike(image, smaller));
        if (bytes->empty()) {
            made.problem = "cannot be encoded";
            return;
        }
        made.image = image;
        made.image.madeFrom = image.source();
        made.image.uri.clear();
        made.image.width = size.width;
        made.image.height = size.height;
        made.image.hash = hashBytes(*bytes);
        made.image.data = std::move(bytes);
        if (classes_[index] == TextureClass::Normal)
            made.normalLengths = meanNormalLengths(*pixels, size.width, size.height);
    }

    /// Puts the detail that the normal map over it loses into a roughness map. Returns the
    /// materials that show more of it; 0: nothing changed.
    [[nodiscard]] std::size_t roughen(std::size_t index, Pixels& pixels) const {
        const Relief& relief = reliefs_[index];
        const auto normal = static_cast<std::size_t>(relief.normal);
        const auto normals = decodeImage(scene_.images[normal], kLargestEdge);
        const auto factor = static_cast<double>(relief.roughness);
        if (!normals || factor <= 0) return 0;
        const Size& size = sizes_[normal];
        const std::vector<float> lengths = meanNormalLengths(*normals, size.width, size.height);
        bool changed = false;
        for (int y = 0; y < pixels.height; ++y)
            for (int x = 0; x < pixels.width; ++x) {
                const int over =
                    y * size.height / pixels.height * size.width + x * size.width / pixels.width;
                std::uint8_t& green =
                    pixels.rgba[static_cast<std::size_t>(y * pixels.width + x) * 4 + 1];
                const double rough = roughnessFor(green / 255.0 * factor,
                                                  static_cast<double>(elementOf(lengths, over)));
                const auto now = static_cast<std::uint8_t>(
                    std::lround(std::clamp(rough / factor, 0.0, 1.0) * 255));
                changed = changed || now > green;
                green = std::max(green, now);
            }
        return changed ? relief.materials : 0;
    }

    /// Both at the size at which they are seen: what lies below a pixel is not missed.
    [[nodiscard]] double differenceAsSeen(const Pixels& before, const Pixels& after,
                                          std::size_t index) const {
        const ResampleOptions plain{classes_[index], 0, 0};
        const int seen = needs_[index] > 0 ? needs_[index] : before.width + before.height;
        const double factor =
            std::min(1.0, static_cast<double>(seen) / std::max(before.width, before.height));
        const int width = std::max(1, static_cast<int>(before.width * factor));
        const int height = std::max(1, static_cast<int>(before.height * factor));
        const Pixels was = resample(before, width, height, plain);
        const Pixels is = after.width > width && after.height > height
                              ? resample(after, width, height, plain)
                              : resizeImage(after, width, height);
        return differenceOf(was, is, classes_[index]);
    }

    const Scene& scene_;
    const TextureSizeSettings& settings_;
    const Target& target_;
    const Evidence& evidence_;
    const std::vector<Usage> usages_;
    const std::vector<TextureClass> classes_;
    const std::vector<Relief> reliefs_;
    std::vector<Size> sizes_;
    std::vector<int> needs_;
    std::vector<Made> made_;
};

/// Puts the detail that a material's normal map has lost into its roughness, where that is one
/// number. Returns true if it changed.
bool soften(Material& material, const std::vector<float>& lengths) {
    if (material.texture("metallicRoughnessTexture") >= 0 || lengths.empty()) return false;
    double sum = 0;
    for (const float length : lengths) sum += static_cast<double>(length);
    const auto before = static_cast<double>(material.roughness);
    const double after = roughnessFor(before, sum / static_cast<double>(lengths.size()));
    if (after - before < 0.005) return false;
    material.roughness = static_cast<float>(after);
    objectAt(material.source, "pbrMetallicRoughness")["roughnessFactor"] = material.roughness;
    return true;
}

std::size_t softenHighlights(Scene& scene, const Sizer& sizer) {
    std::size_t softened = 0;
    for (std::size_t i = 0; i < scene.images.size(); ++i) softened += sizer.made(i).softened;
    for (Material& material : scene.materials) {
        const int texture = material.texture("normalTexture");
        if (texture < 0) continue;
        const int image = scene.imageOf(texture);
        if (image >= 0)
            softened += soften(material, sizer.made(static_cast<std::size_t>(image)).normalLengths);
    }
    return softened;
}

void tellLeftAlone(const Scene& scene, const Sizer& sizer, FixRecord& record) {
    std::map<std::string, std::pair<std::size_t, std::string>> reasons;
    for (std::size_t i = 0; i < scene.images.size(); ++i) {
        if (!sizer.isShown(i)) continue;
        std::string reason = obstacleOf(scene.images[i]);
        if (reason.empty()) reason = sizer.made(i).problem;
        if (reason.empty()) continue;
        auto& [count, first] = reasons[reason];
        if (count++ == 0) first = scene.images[i].name;
    }
    for (const auto& [reason, who] : reasons)
        record.notes.push_back(fmt::format("{} left as it is: {} ('{}')",
                                           counted(who.first, "image"), reason, who.second));
}

}  // namespace

Json TextureSizeReport::describe(const Scene&) const {
    Json rows = Json::array();
    for (const ResizedImage& row : images)
        rows.push_back({{"image", row.name},
                        {"class", row.use},
                        {"stored", {row.width, row.height}},
                        {"neededEdge", row.needed},
                        {"proposed", {row.newWidth, row.newHeight}},
                        {"bytesSaved", row.bytes - row.newBytes},
                        {"difference", row.difference}});
    return {{"images", rows}};
}

Expected<Fixed> applyTextureSize(const Scene& scene, const TextureSizeSettings& settings,
                                 const Target& target, const Evidence& evidence,
                                 Progress& progress) {
    Fixed result{scene, {}};
    Sizer sizer(scene, settings, target, evidence);
    if (!sizer.run(progress)) return stopped("Resizing textures");
    auto report = std::make_shared<TextureSizeReport>();
    double before = 0;
    double after = 0;
    std::size_t shown = 0;
    for (std::size_t i = 0; i < scene.images.size(); ++i) {
        const Image& own = scene.images[i];
        if (!sizer.isShown(i)) continue;
        ++shown;
        const TextureClass use = sizer.use(i);
        const double bytes = textureBytes(own.width, own.height, use, target);
        before += bytes;
        after += bytes;
        const Sizer::Made& made = sizer.made(i);
        if (!made.image.data) continue;
        result.scene.images[i] = made.image;
        if (!sizer.isSmaller(i)) continue;
        const double newBytes = textureBytes(made.image.width, made.image.height, use, target);
        after += newBytes - bytes;
        report->images.push_back({own.name, static_cast<std::uint32_t>(i), textureClassKey(use),
                                  own.width, own.height, sizer.need(i), made.image.width,
                                  made.image.height, bytes, newBytes, made.difference});
    }
    std::stable_sort(report->images.begin(), report->images.end(),
                     [](const ResizedImage& a, const ResizedImage& b) {
                         return a.bytes - a.newBytes > b.bytes - b.newBytes;
                     });
    result.record.summary = fmt::format("{} smaller: {} of texture memory become {}",
                                        countOf(report->images.size(), shown, "image"),
                                        formatBytes(before), formatBytes(after));
    const auto worst = std::max_element(
        report->images.begin(), report->images.end(),
        [](const ResizedImage& a, const ResizedImage& b) { return a.difference < b.difference; });
    if (worst != report->images.end())
        result.record.notes.push_back(
            fmt::format("As large as they are seen, images differ by at most {} of what a channel "
                        "holds ('{}')",
                        formatShare(worst->difference), worst->name));
    if (evidence.images.empty())
        result.record.notes.emplace_back(
            "Without a survey with rays nothing is known of need: only the largest edge and the "
            "halvings count");
    if (settings.softenHighlights)
        if (const std::size_t softened = softenHighlights(result.scene, sizer); softened > 0)
            result.record.notes.push_back(
                fmt::format("{} rougher by what their normal maps no longer show",
                            counted(softened, "material is", "materials are")));
    tellLeftAlone(scene, sizer, result.record);
    result.record.report = std::move(report);
    return result;
}

}  // namespace flentro
