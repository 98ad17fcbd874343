// Masks together: occlusion, roughness and metalness of a material in one image.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct MaskSettings {
    int maxEdge = 4096;  ///< Pixels; larger images stay apart.

    static const FixKind& kind();
};

/// An occlusion map that went into the red channel of a map of roughness and metalness.
struct JoinedMask {
    std::string occlusion;
    std::string other;
    int width = 0, height = 0;  ///< Of the image that holds both.
    double bytesSaved = 0;      ///< Of the target's texture memory; negative: it takes more.
};

struct MaskReport final : FixReport {
    std::vector<JoinedMask> masks;
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// Joins where both are laid by the same coordinates, transforms and samplers and where no other
/// material reads the occlusion map for anything else; at the larger of the two sizes. Left alone
/// where that takes more memory. Materials that an animation changes, or that are to be kept, stay.
/// Errors: Cancelled. Cost: each pair of images is decoded and encoded once.
[[nodiscard]] Expected<Fixed> applyMasks(const Scene& scene, const MaskSettings& settings,
                                         const Target& target, Progress& progress);

}  // namespace flentro
