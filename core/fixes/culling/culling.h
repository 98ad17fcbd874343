// Culling distance: objects go by their size on the display.

#pragma once

#include <limits>

#include "fixes/fix.h"

namespace flentro {

struct SizeClass {
    std::string name;
    /// Metres, of the bounds' diagonal; infinity for the last.
    double largest = std::numeric_limits<double>::infinity();
    double pixels = 4;  ///< Size on the target's display below which an object goes; 0: never.
};

struct CullingSettings {
    std::vector<SizeClass> classes = {{"tiny", 0.3, 5},
                                      {"small", 1.2, 4},
                                      {"medium", 5, 3},
                                      {"large", 20, 2},
                                      {"huge", std::numeric_limits<double>::infinity(), 0}};
    double fade = 0.15;    ///< Width of the fade band as a share of the culling distance, 0 to 0.9.
    double margin = 0.02;  ///< Distance kept to the far plane, as a share of it, 0 to 0.5.
    /// Where a survey has seen an object, its true pixels count instead of its bounds: thin and
    /// half-hidden things go earlier.
    bool bySeen = true;
    /// What is only transparent goes at this share of its distance, 0.05 to 1.
    double transparent = 1;
    /// What stands against the sky stays this many times as far, 1 to 10.
    double skyline = 1.5;
    bool rounded = true;  ///< Distances are rounded up to a few steps: see roundedUp().
    /// Metres: a nearer far plane, beyond which nothing is drawn; 0: the target's.
    double farPlane = 0;
    /// Metres between which fog closes, so that things fade with it: pixels count by the contrast
    /// that is left, and nothing is drawn beyond the end. `fogEnd` 0: no fog.
    double fogStart = 0;
    double fogEnd = 0;
    std::map<std::string, double> overrides;  ///< Metres, by asset name.

    static const FixKind& kind();
};

/// Something that a survey saw and that is culled now.
struct VisibleLoss {
    std::uint32_t origin = 0;
    std::size_t spots = 0;  ///< That saw it and no longer would.
    double pixels = 0;      ///< Most that one of those loses.
};

struct CullingReport final : FixReport {
    std::vector<VisibleLoss> losses;  ///< Most pixels first; of a survey's evidence only.
    [[nodiscard]] Json describe(const Scene& source) const override;
};

/// Culling distances from size in pixels, importance and overrides; never beyond the far plane
/// less its margin. Errors: Cancelled.
[[nodiscard]] Expected<Fixed> applyCulling(const Scene& scene, const CullingSettings& settings,
                                           const Target& target, const Evidence& evidence,
                                           Progress& progress);

/// Where the last objects go, metres: the nearer far plane less its margin, or the end of fog.
[[nodiscard]] double farthestDrawn(const CullingSettings& settings, const Target& target);

/// Culling distance of an object of this size in metres, rounded if asked: at most
/// farthestDrawn().
[[nodiscard]] double cullingDistance(const CullingSettings& settings, const Target& target,
                                     double size, Importance importance = Importance::Normal);

/// The next of 1, 1.2, 1.5, 2, 2.5, 3, 4, 5, 6, 8 times a power of ten: few different distances,
/// so that engines can keep them in lists and copies go together. Infinity and 0 stay.
[[nodiscard]] double roundedUp(double distance);

/// [objects] Metres: the diagonal of the bounds or, where a survey has seen less, the disc of what
/// it saw, but never less than a share of the bounds.
[[nodiscard]] std::vector<double> cullingSizes(const Scene& scene, const CullingSettings& settings,
                                               const Target& target, const Evidence& evidence);

}  // namespace flentro
