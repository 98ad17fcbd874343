// Ottermere Lock: a made-up night market, with its faults planted on purpose.

#pragma once

#include <optional>

#include "geometry/frustum.h"
#include "project/project.h"
#include "scene_builder.h"

namespace flentro::demo {

struct Ottermere {
    Scene scene;
    Json groundTruth;  ///< docs/formats/ground-truth.schema.json
};

/// Deterministic. `copies`: how often the whole market is laid out, for stress. With a seed for
/// faults, a sound market with a random half of the kinds planted on random things.
[[nodiscard]] Ottermere makeOttermere(const Detail& detail, int copies,
                                      std::optional<std::uint32_t> faults = std::nullopt);

/// A target, spots and a work order, so that every step has something to show: it brings every
/// spot of a survey within that target's limits.
[[nodiscard]] Project makeProject(const std::filesystem::path& scene);

/// For targets that lack more than triangles and calls: textures, materials and lights as well.
[[nodiscard]] WorkOrder orderForWeakTargets();

struct Written {
    std::filesystem::path scene;
    std::filesystem::path project;
};
/// Writes ottermere.glb, its ground truth, a project and its work orders into a folder, which is
/// made if it is missing. Errors: Io.
[[nodiscard]] Expected<Written> writeOttermere(const Ottermere& made,
                                               const std::filesystem::path& folder);

/// The view of the screenshots and of the audit: on the north quay, looking east along the
/// stalls.
[[nodiscard]] Viewpoint quayView();

}  // namespace flentro::demo
