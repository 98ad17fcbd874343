// Diagnostic views: what the 3D view's colours mean.

#pragma once

#include <QColor>
#include <QKeySequence>
#include <QString>
#include <vector>

#include "document.h"

namespace flentro::app {

/// Order as in the lens menu; the shader knows them by number.
enum class LensKind {
    Shaded,
    Wireframe,
    TriangleSize,
    Level,
    ShareOfCost,
    Seen,
    Texels,
    LightCount,
    Overdraw,
    Groups
};

inline constexpr int kLensCount = 10;

/// Ctrl+1 to Ctrl+9, and Ctrl+0 for the tenth.
[[nodiscard]] QKeySequence lensKeys(LensKind kind);

[[nodiscard]] QString lensName(LensKind kind);
[[nodiscard]] QString lensHelp(LensKind kind);

struct LegendEntry {
    QColor color;
    QString text;
};

/// What a survey says of an object.
enum class SeenState : std::uint8_t { Here, Elsewhere, Never };

/// [objects of `scene`] From the spot nearest to the view, by what was surveyed of their origins;
/// empty without a survey with rays.
[[nodiscard]] std::vector<SeenState> seenStates(const Document& document, const Scene& scene);

/// What the colours stand for in the present view, with numbers.
[[nodiscard]] std::vector<LegendEntry> legendFor(LensKind kind, const Scene& scene,
                                                 const ViewCost& cost,
                                                 const std::vector<SeenState>& seen);

/// Over the legend: the lens, and from which spot things are seen where that is not the eye's own
/// place.
[[nodiscard]] QString legendTitle(LensKind kind, const Document& document);

[[nodiscard]] QColor seenColor(SeenState state);

/// What one more layer adds in the overdraw lens, 0 to 1 for red, green, blue.
inline constexpr float kLayerColor[3] = {0.090F, 0.045F, 0.062F};

/// LOD 0 in plum, coarser levels towards blue.
[[nodiscard]] QColor levelColor(std::size_t level);

/// For assets that have no lower levels.
[[nodiscard]] QColor noLevelColor();

/// Neighbouring parcels differ.
[[nodiscard]] QColor parcelColor(std::size_t parcel);

/// [objects] What fixes have merged in tones of blue, what they have split in tones of plum,
/// neighbours in different ones; the rest is grey.
[[nodiscard]] std::vector<QColor> groupColors(const Scene& scene);

/// Share of the drawn triangles on a logarithmic scale from 0.01 % to 10 %, 0 to 1.
[[nodiscard]] double shareOnScale(double share);

}  // namespace flentro::app
