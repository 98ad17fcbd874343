// Ottermere Lock: a made-up night market, with its faults planted on purpose.

#pragma once

#include "geometry/frustum.h"
#include "project/project.h"
#include "scene_builder.h"

namespace flentro::demo {

struct Ottermere {
    Scene scene;
    Json groundTruth;  ///< docs/formats/ground-truth.schema.json
};

/// Deterministic. `copies`: how often the whole market is laid out, for stress.
[[nodiscard]] Ottermere makeOttermere(const Detail& detail, int copies);

/// A target, spots and a work order, so that every step has something to show: it brings every
/// spot of a survey within that target's limits.
[[nodiscard]] Project makeProject(const std::filesystem::path& scene);

/// The view of the screenshots and of the audit: on the north quay, looking east along the
/// stalls.
[[nodiscard]] Viewpoint quayView();

}  // namespace flentro::demo
