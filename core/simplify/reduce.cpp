#include "simplify/reduce.h"

#include <algorithm>
#include <cmath>

#include "simplify/deviation.h"

namespace flentro {
namespace {

/// Between two measurements the reducer may take this share of the triangles.
constexpr double kStep = 0.15;

std::size_t nextCount(std::size_t triangles, std::size_t target) {
    return std::max(target, static_cast<std::size_t>(static_cast<double>(triangles) * (1 - kStep)));
}

}  // namespace

Expected<Reduced> reduce(const Mesh& mesh, const ReduceOptions& options, Progress& progress) {
    if (!(options.maxDeviation >= 0))
        return fail(ErrorCode::InvalidInput, "the largest deviation must not be negative",
                    mesh.name);
    const Surface original(mesh);
    Reduced best{std::make_shared<const Mesh>(mesh), 0, mesh.triangles <= options.targetTriangles};
    if (best.targetReached || original.empty()) return best;
    // The reducer only estimates how far it moves the surface, so a limit has to be measured on
    // the way: the last state that keeps it is the result.
    const bool limited = std::isfinite(options.maxDeviation);
    Reducer reducer(mesh, options.reducer);
    for (;;) {
        const std::size_t before = reducer.triangleCount();
        const std::size_t wanted =
            limited ? nextCount(before, options.targetTriangles) : options.targetTriangles;
        if (!reducer.reduceTo(wanted, options.maxDeviation, progress))
            return fail(ErrorCode::Cancelled, "Reducing was stopped", mesh.name);
        const MeshPtr reduced = finishMesh(reducer.mesh());
        const double deviation = measureDeviation(mesh, original, *reduced).largest;
        if (deviation > options.maxDeviation) return best;
        best = {reduced, deviation, reduced->triangles <= options.targetTriangles};
        if (best.targetReached || reducer.triangleCount() > wanted || wanted == before) return best;
    }
}

}  // namespace flentro
