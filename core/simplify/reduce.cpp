#include "simplify/reduce.h"

#include <algorithm>
#include <cmath>

#include "simplify/deviation.h"

namespace flentro {
namespace {

/// The fewest triangles of a log that keep to a measured deviation, by halving: the reducer only
/// estimates how far it moves the surface.
class Search {
public:
    Search(const Mesh& mesh, const Surface& surface, const CollapseLog& log, double limit)
        : original_(mesh), surface_(surface), log_(log), limit_(limit) {}

    /// True if that state keeps to the limit; from few samples.
    [[nodiscard]] bool seemsFit(std::size_t triangles) const {
        const Mesh state = *finishMesh(log_.meshAt(triangles));
        return measureDeviation(original_, surface_, state, kFewSamples).largest <= limit_;
    }

    /// Measures one state; true if it keeps to the limit, and then it is the best.
    bool accepts(std::size_t triangles) {
        const MeshPtr state = finishMesh(log_.meshAt(triangles));
        const double deviation = measureDeviation(original_, surface_, *state).largest;
        if (deviation > limit_) return false;
        best = {state, deviation, false};
        return true;
    }

    /// Looks for counts up to `most`, which is taken to keep to the limit. Nothing if cancelled.
    bool run(std::size_t most, Progress& progress) {
        if (!std::isfinite(limit_) || seemsFit(log_.fewestTriangles()))
            if (accepts(log_.fewestTriangles())) return true;
        std::size_t tooFew = log_.fewestTriangles();
        std::size_t enough = std::min(most, log_.mostTriangles());
        while (static_cast<double>(enough - tooFew) > kPrecision * static_cast<double>(enough)) {
            if (progress.cancelled()) return false;
            // Deviation goes with the triangles left rather than with those taken.
            const auto middle = static_cast<std::size_t>(
                std::sqrt(static_cast<double>(std::max<std::size_t>(tooFew, 1)) *
                          static_cast<double>(enough)));
            if (middle <= tooFew || middle >= enough) break;
            (seemsFit(middle) ? enough : tooFew) = middle;
        }
        // More samples find more: a little more is left then.
        while (enough < log_.mostTriangles() && !accepts(enough)) {
            if (progress.cancelled()) return false;
            enough += enough / kBackOff + 1;
        }
        return true;
    }

    Reduced best;

private:
    static constexpr double kPrecision = 0.04;
    static constexpr std::size_t kBackOff = 12;
    static constexpr std::size_t kFewSamples = 3000;
    const Mesh& original_;
    const Surface& surface_;
    const CollapseLog& log_;
    double limit_;
};

}  // namespace

Expected<Reduced> reduce(const Mesh& mesh, const ReduceOptions& options, Progress& progress) {
    if (!(options.maxDeviation >= 0))
        return fail(ErrorCode::InvalidInput, "the largest deviation must not be negative",
                    mesh.name);
    const Reduced whole{std::make_shared<const Mesh>(mesh), 0,
                        mesh.triangles <= options.targetTriangles};
    if (whole.targetReached || mesh.triangles == 0) return whole;
    Reducer reducer(mesh, options.reducer);
    if (!reducer.reduceTo(options.targetTriangles, options.maxDeviation, progress))
        return fail(ErrorCode::Cancelled, "Reducing was stopped", mesh.name);
    auto best = fewestWithin(mesh, Surface(mesh), reducer.log(), options.maxDeviation, progress);
    if (!best) return fail(ErrorCode::Cancelled, "Reducing was stopped", mesh.name);
    best->targetReached = best->mesh->triangles <= options.targetTriangles;
    return std::move(*best);
}

std::optional<Reduced> fewestWithin(const Mesh& mesh, const Surface& surface,
                                    const CollapseLog& log, double maxDeviation, Progress& progress,
                                    std::size_t most) {
    Search search(mesh, surface, log, maxDeviation);
    search.best = {std::make_shared<const Mesh>(mesh), 0, false};
    if (!search.run(most, progress)) return std::nullopt;
    return std::move(search.best);
}

}  // namespace flentro
