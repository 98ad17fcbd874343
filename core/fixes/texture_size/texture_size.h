// Texture size: images as large as they are seen, and no larger than the target takes.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct TextureSizeSettings {
    enum class Steps {
        Halves,       ///< Of the image as it is: proportions and powers of two stay.
        PowersOfTwo,  ///< Every edge becomes one.
        Exact,        ///< As large as needed.
    };
    /// Texels for a pixel where an image is seen largest, 0.1 to 8; 0: need is not asked.
    double texelsPerPixel = 1;
    bool capEdge = true;  ///< No edge longer than the target's limit.
    int halvings = 0;     ///< Of every image besides, 0 to 8.
    int unseenEdge = 0;   ///< Longer edge of images that no place sees; 0: as large as they are.
    Steps steps = Steps::Halves;
    double sharpness = 0.3;                ///< See ResampleOptions.
    bool softenHighlights = true;          ///< Detail that normal maps lose becomes roughness.
    std::map<std::string, int> overrides;  ///< Longer edge by image name, pixels.

    static const FixKind& kind();
};

/// One image before and after.
struct ResizedImage {
    std::string name;
    std::uint32_t image = 0;
    std::string use;  ///< Key of its TextureClass.
    int width = 0, height = 0;
    int needed = 0;  ///< Longer edge that the survey asks for; 0: not known or not seen.
    int newWidth = 0, newHeight = 0;
    double bytes = 0, newBytes = 0;  ///< Of the target's texture memory.
    /// Root mean square difference at the size at which it is seen, 0 to 1; at its own size if
    /// that is not known.
    double difference = 0;
};

struct TextureSizeReport final : FixReport {
    std::vector<ResizedImage> images;  ///< Most memory saved first.
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// Never larger, and no edge below 4 pixels that was above. PNG, JPEG and WebP stay what they are;
/// others, 16-bit PNG, images of assets that are to be kept and missing ones are left alone and
/// told. Errors: Cancelled. Cost: each image that changes is decoded, resampled and encoded once,
/// on all cores.
[[nodiscard]] Expected<Fixed> applyTextureSize(const Scene& scene,
                                               const TextureSizeSettings& settings,
                                               const Target& target, const Evidence& evidence,
                                               Progress& progress);

}  // namespace flentro
