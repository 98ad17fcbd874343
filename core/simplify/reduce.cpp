#include "simplify/reduce.h"

#include <cmath>

#include "simplify/deviation.h"

namespace flentro {
namespace {

constexpr int kTries = 5;

/// The reducer only estimates how far it moves the surface. When the measure says that it
/// went too far, we start again with a tighter estimate.
constexpr double kTighter = 0.9;

}  // namespace

Expected<Reduced> reduce(const Mesh& mesh, const ReduceOptions& options, Progress& progress) {
    if (!(options.maxDeviation >= 0))
        return fail(ErrorCode::InvalidInput, "the largest deviation must not be negative",
                    mesh.name);
    const Surface original(mesh);
    double limit = options.maxDeviation;
    Reduced result{std::make_shared<const Mesh>(mesh), 0, mesh.triangles <= options.targetTriangles};
    if (result.targetReached || original.empty()) return result;
    for (int attempt = 0; attempt < kTries; ++attempt) {
        SubProgress step(progress, attempt / double(kTries), (attempt + 1) / double(kTries));
        Reducer reducer(mesh, options.reducer);
        if (!reducer.reduceTo(options.targetTriangles, limit, step))
            return fail(ErrorCode::Cancelled, "Reducing was stopped", mesh.name);
        const MeshPtr reduced = finishMesh(reducer.mesh());
        const double deviation = measureDeviation(mesh, original, *reduced);
        if (deviation <= options.maxDeviation)
            return Reduced{reduced, deviation, reduced->triangles <= options.targetTriangles};
        limit *= kTighter * options.maxDeviation / deviation;
    }
    return result;
}

}  // namespace flentro
