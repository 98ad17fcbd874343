// Diagnostic views: what the 3D view's colours mean.

#pragma once

#include <QColor>
#include <QString>
#include <vector>

#include "document.h"

namespace flentro::app {

/// Order as in the lens menu; the shader knows them by number.
enum class LensKind { Shaded, Wireframe, TriangleSize, Level, ShareOfCost };

inline constexpr int kLensCount = 5;

[[nodiscard]] QString lensName(LensKind kind);
[[nodiscard]] QString lensHelp(LensKind kind);

struct LegendEntry {
    QColor color;
    QString text;
};

/// What the colours stand for in the present view, with numbers.
[[nodiscard]] std::vector<LegendEntry> legendFor(LensKind kind, const Scene& scene,
                                                 const ViewCost& cost);

/// LOD 0 in plum, coarser levels towards blue.
[[nodiscard]] QColor levelColor(std::size_t level);

/// For assets that have no lower levels.
[[nodiscard]] QColor noLevelColor();

/// Share of the drawn triangles on a logarithmic scale from 0.01 % to 10 %, 0 to 1.
[[nodiscard]] double shareOnScale(double share);

}  // namespace flentro::app
