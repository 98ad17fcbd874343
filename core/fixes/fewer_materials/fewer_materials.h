// Fewer materials: those that differ by colour alone share a palette, and parts too small to be
// told apart take the material beside them; the rest is baked, or becomes objects of its own, until
// an object has no more than it may.

#pragma once

#include "fixes/fix.h"

namespace flentro {

struct FewerMaterialSettings {
    bool palette = true;      ///< Materials without textures read their colours from one image.
    bool wholeScene = false;  ///< Also those that share no object with another of their kind.
    int limit = 0;            ///< Materials of an object; 0: the target's.
    /// While an object has too many, those with the same textures become one whose colours differ
    /// by at most this share of the display's range, roughness and metalness likewise, 0 to 1.
    double alikeColour = 0.04;
    /// Parts that no place sees larger than this take the nearest material while an object has too
    /// many; 0: none does.
    double smallPixels = 16;
    /// What is left is baked together, objects with the same choice onto one page of at most so
    /// many pixels an edge (bake.h); 0: nothing is.
    int bakePage = 2048;
    double bakeKept = 0.5;  ///< Least share of the texels needed there, along an edge, 0 to 1.
    double bakeCut = 0.5;  ///< Vertices more by cutting where textures begin anew, of the object's.
    bool divide = true;    ///< Objects that still have too many become several.

    static const FixKind& kind();
};

struct FewerMaterialReport final : FixReport {
    std::size_t palettes = 0;
    std::size_t colours = 0;         ///< Materials that read from them.
    std::size_t joined = 0;          ///< Parts of meshes that became one with others.
    std::size_t alike = 0;           ///< Materials that became one that is hardly different.
    std::size_t taken = 0;           ///< Small parts that took another material.
    std::size_t baked = 0;           ///< Materials that became part of a page.
    std::size_t pages = 0;           ///< That hold those.
    double kept = 1;                 ///< Share of the texels needed, of the worst page.
    std::size_t divided = 0;         ///< Assets whose objects became several.
    std::size_t objects = 0;         ///< More by that.
    std::vector<std::string> still;  ///< "stall: 5 of 4", heaviest first.
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// All levels alike. Materials that animations or variants change, and assets that are to be kept,
/// stay as they are. Colours are kept to a 255th of what a display shows. Errors: Cancelled. Cost:
/// O(vertices of the parts that change).
[[nodiscard]] Expected<Fixed> applyFewerMaterials(const Scene& scene,
                                                  const FewerMaterialSettings& settings,
                                                  const Target& target, const Evidence& evidence,
                                                  Progress& progress);

}  // namespace flentro
