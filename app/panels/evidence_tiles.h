// What a finding is about, as small drawings: its meshes, textures and materials, the triangles at
// their true size, a plan around its light or object.

#pragma once

#include <QImage>
#include <QString>
#include <vector>

#include "findings/finding.h"
#include "widgets/theme.h"

namespace flentro::app {

struct EvidenceTile {
    QImage image;
    QString caption;
};

/// Drawings of `edge` pixels, at most three, the most telling first; none for the scene as a whole.
/// For workers: it looks at nothing but what is given. Cost: a MeshPainter for each mesh, or the
/// decoding of each texture.
[[nodiscard]] std::vector<EvidenceTile> evidenceTiles(const Finding& finding, const Scene& scene,
                                                      const Target& target, const Theme& theme,
                                                      int edge);

}  // namespace flentro::app
