// Diagnostic views: what the 3D view's colours mean.

#pragma once

#include <QColor>
#include <QKeySequence>
#include <QString>
#include <span>
#include <vector>

#include "model/document.h"

namespace flentro::app {

/// Order as in the lens menu.
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

struct LegendEntry {
    QColor color;
    QString text;
};

/// What a survey says of an object.
enum class SeenState : std::uint8_t { Here, Elsewhere, Never };

/// What the present picture is made of.
struct LensInput {
    const Scene& scene;
    const std::vector<DrawnObject>& drawn;
    const std::vector<SeenState>& seen;  ///< [objects] See seenStates().
};

/// All there is to say of one lens; a row of lenses().
struct Lens {
    LensKind kind;
    const char* name;
    const char* help;
    /// What the colours stand for, with numbers; null: they need no explanation. `triangles`:
    /// drawn, without shadow passes.
    std::vector<LegendEntry> (*legend)(const LensInput&, double triangles) = nullptr;
    /// [drawn] Colours of whole objects; null: white.
    std::vector<QColor> (*tints)(const LensInput&) = nullptr;
    /// GLSL that changes `result`: the shaded scene, or the object's tint with a little relief.
    const char* shader = "";
    bool isShaded = false;         ///< The scene in its own materials lies below it.
    bool knowsEdges = false;       ///< Its shader reads `corner` and `pixels`: a geometry stage.
    bool addsLayers = false;       ///< Every surface adds to the pixel, hidden ones too.
    bool countsAllLights = false;  ///< Its light grid counts all ranges, not what shines.
};

/// In the order of LensKind.
[[nodiscard]] std::span<const Lens> lenses();
[[nodiscard]] const Lens& lensOf(LensKind kind);

/// Ctrl+1 to Ctrl+9, and Ctrl+0 for the tenth.
[[nodiscard]] QKeySequence lensKeys(LensKind kind);

/// [objects of `scene`] From the spot nearest to the view, by what was surveyed of their origins;
/// empty without a survey with rays.
[[nodiscard]] std::vector<SeenState> seenStates(const Document& document, const Scene& scene);

/// The legend of a lens in a view that was counted.
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

}  // namespace flentro::app
