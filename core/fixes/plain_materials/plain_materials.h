// Plainer materials: what a pixel of a material costs, where nobody sees what it is spent on.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct PlainMaterialSettings {
    /// Materials of things that no place sees larger than this, along an edge, and of backdrops
    /// lose maps and coats; 0: none.
    double maxPixels = 48;
    /// They keep them where they would look different by more than this (mean FLIP, where they are
    /// seen largest), 0 to 1.
    double maxChange = 0.05;
    bool dropNormals = true;
    bool dropOcclusion = true;
    bool meanRoughness = true;  ///< Roughness and metalness become one number each.
    bool dropCoats = true;      ///< Clear coat, sheen, anisotropy, iridescence.
    double unlitPixels = 0;     ///< Below this size they are not lit at all; 0: always lit.
    bool oneSided = true;       ///< Where all that shows them is closed and looks outward.
    bool cutOut = true;         ///< In place of blending, where alpha is hardly ever in between.
    double minSettled = 0.97;   ///< Share of pixels that are clear or opaque for that, 0.5 to 1.

    static const FixKind& kind();
};

/// One material and what it lost.
struct PlainMaterial {
    std::string name;
    std::uint32_t material = 0;
    double pixels = 0;              ///< Largest edge at which it is seen; -1: not known.
    std::vector<std::string> lost;  ///< "normal map", "second side", "blending", ...
    int object = -1;                ///< That shows it largest; -1: not known.
    double change = -1;             ///< Mean FLIP where it is seen largest; -1: not known.
};

struct PlainMaterialReport final : FixReport {
    std::vector<PlainMaterial> materials;
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// Materials of assets that are to be kept, and those that an animation changes, stay as they are.
/// Works on all levels. Errors: Cancelled. Cost: images of blended materials and dropped maps are
/// decoded once; see materialLook() for each material that may lose maps.
[[nodiscard]] Expected<Fixed> applyPlainMaterials(const Scene& scene,
                                                  const PlainMaterialSettings& settings,
                                                  const Target& target, const Evidence& evidence,
                                                  Progress& progress);

}  // namespace flentro
