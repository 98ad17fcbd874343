// Ottermere Lock: a made-up night market, with its faults planted on purpose.

#pragma once

#include "geometry/frustum.h"
#include "scene_builder.h"

namespace flentro::demo {

struct Ottermere {
    Scene scene;
    Json groundTruth;  ///< docs/formats/ground-truth.schema.json
};

/// Deterministic. `copies`: how often the whole market is laid out, for stress.
[[nodiscard]] Ottermere makeOttermere(const Detail& detail, int copies);

/// The view of the screenshots and of the audit: on the south quay, looking north-east.
[[nodiscard]] Viewpoint quayView();

}  // namespace flentro::demo
