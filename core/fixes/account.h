// Both sides of what a fix costs and saves: in total, and in the worst views.

#pragma once

#include "base/error.h"
#include "base/progress.h"
#include "fixes/evidence.h"

namespace flentro {

/// True if a level's stream is the beginning of one of level 0: files store it once.
[[nodiscard]] bool isBeginningOf(const Stream& stream, const Mesh& top);

/// What a scene holds: one side of a fix's account.
struct SceneTotals {
    double objects = 0;
    double triangles = 0;        ///< As placed, level 0.
    double shadowTriangles = 0;  ///< Of all shadow passes, if everything were in view.
    double calls = 0;            ///< Likewise, on the target, with shadow passes.
    double meshBytes = 0;        ///< Of all levels, each stream once.
    double textureBytes = 0;     ///< On the target.
    double diskBytes = 0;        ///< Streams, indices and encoded images: about a file's size.
    /// An estimate by the target's rates: bytes read, pictures decoded, objects placed.
    double loadSeconds = 0;
};
[[nodiscard]] SceneTotals sceneTotals(const Scene& scene, const Target& target);

/// The most of each measure over all views of the evidence, which must have some. Errors:
/// Cancelled. Cost: as a survey without rays; all cores.
[[nodiscard]] Expected<Counts> worstOver(const Scene& scene, const Target& target,
                                         const Evidence& evidence, Progress& progress);

}  // namespace flentro
