// Fewer triangles for one mesh: by count, by ratio, or by deviation.

#pragma once

#include <limits>
#include <memory>
#include <string>

#include "base/error.h"
#include "simplify/plain_mesh.h"
#include "simplify/reducer.h"

namespace flentro {

/// When to stop; the first limit met ends the run.
struct ReduceOptions {
    /// Triangles to aim for; 0: as few as `maxDeviation` allows.
    std::size_t targetTriangles = 0;

    /// Largest deviation from the input surface, metres, >= 0; measured by sampling.
    double maxDeviation = std::numeric_limits<double>::infinity();

    ReducerOptions reducer;
};

struct Reduced {
    MeshPtr mesh;                ///< No more triangles than the input.
    double deviation = 0;        ///< Metres, measured by sampling both surfaces.
    bool targetReached = false;  ///< False if deviation or topology stopped it first.
    std::string reason = {};     ///< Why a count asked for was not reached; else empty.
};

/// Returns a copy of `mesh` with fewer triangles.
///
/// Where vertices may be placed anywhere, normals that follow from the faces are left out and made
/// anew; see PlainMesh. Sheets with a face for either side stay such.
///
/// Parts keep their materials; UV seams, hard edges, material borders and open borders keep
/// their places as well as the triangles allow. Surviving vertices keep their order and all
/// their attributes. Points and lines pass unchanged. Empty gives empty.
///
/// Errors: InvalidInput if `maxDeviation` is negative or NaN; Cancelled.
///
/// Cost: O(T log T) time, O(V + T) memory. Reentrant; deterministic.
[[nodiscard]] Expected<Reduced> reduce(const Mesh& mesh, const ReduceOptions& options,
                                       Progress& progress);

/// The same in two steps, for whoever chooses the number of triangles by what it costs.
class Reduction {
public:
    /// Goes through the states of a mesh, which must outlive it, down to what the options ask for.
    /// Errors: Cancelled.
    [[nodiscard]] static Expected<Reduction> begin(const Mesh& mesh, const ReduceOptions& options,
                                                   Progress& progress);

    /// How its deviation grows, estimated; as CollapseLog::curve(), in triangles of the result.
    [[nodiscard]] std::vector<CurvePoint> curve() const;
    /// The state that the options ask for, which may be less than what it was begun for.
    /// Errors: Cancelled.
    [[nodiscard]] Expected<Reduced> finish(const ReduceOptions& options, Progress& progress) const;

private:
    Reduction(const Mesh& mesh, std::unique_ptr<PlainMesh> plain, CollapseLog log)
        : mesh_(mesh), plain_(std::move(plain)), log_(std::move(log)) {}
    [[nodiscard]] std::size_t plainTriangles(std::size_t triangles) const;

    const Mesh& mesh_;
    std::unique_ptr<PlainMesh> plain_;
    CollapseLog log_;  ///< Of plain_.
};

/// The state of a log with the fewest triangles that keeps to a measured deviation from `mesh`,
/// whose surfaces are given; the whole mesh if none does. `most`: triangles that are known to keep
/// to it; `least`: fewer are not wanted. Errors: Cancelled. Cost: O(log T) measurements.
[[nodiscard]] Expected<Reduced> fewestWithin(const Mesh& mesh, const PosedSurfaces& surface,
                                             const CollapseLog& log, double maxDeviation,
                                             Progress& progress, std::size_t most = ~0ULL,
                                             std::size_t least = 0);

}  // namespace flentro
