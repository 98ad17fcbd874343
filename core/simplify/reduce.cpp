#include "simplify/reduce.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "simplify/deviation.h"
#include "simplify/fit.h"

namespace flentro {
namespace {

/// The fewest triangles of a log that keep to a measured deviation: the reducer only estimates
/// how far it moves the surface. Deviation goes nearly with the inverse of the triangles left, so
/// that the search starts at the estimate and goes by the logarithms of both (false position).
class Search {
public:
    /// Not below `least` triangles.
    Search(const PosedSurfaces& surface, const CollapseLog& log, double limit, std::size_t least)
        : surface_(surface), log_(log), limit_(limit), fewest_(log.trianglesAt(least)) {}

    /// Looks for counts up to `most`, which is taken to keep to the limit. Errors: Cancelled.
    Expected<void> run(std::size_t most, Progress& progress) {
        if (progress.cancelled()) return stopped("Reducing");
        if ((!std::isfinite(limit_) || deviationOf(fewest_, 1) <= limit_) && accepts(fewest_))
            return {};
        tooFew_ = {std::max<std::size_t>(fewest_, 1), 0};
        enough_ = {std::min(most, log_.mostTriangles()), 0};
        while (static_cast<double>(enough_.triangles - tooFew_.triangles) >
               kPrecision * static_cast<double>(enough_.triangles)) {
            if (progress.cancelled()) return stopped("Reducing");
            if (enough_.triangles - tooFew_.triangles < 2) break;
            const std::size_t next =
                std::clamp(guess(), tooFew_.triangles + 1, enough_.triangles - 1);
            const double deviation = deviationOf(next);
            (deviation <= limit_ ? enough_ : tooFew_) = {next, deviation};
        }
        // More samples find more: a little more is left then.
        std::size_t enough = enough_.triangles;
        while (enough < log_.mostTriangles() && !accepts(enough)) {
            if (progress.cancelled()) return stopped("Reducing");
            enough += enough / kBackOff + 1;
        }
        return {};
    }

    Reduced best;

private:
    /// A state that was measured; deviation 0: not yet.
    struct Known {
        std::size_t triangles = 0;
        double deviation = 0;  ///< Metres.
    };

    /// From few samples, and only as far as it tells where to look next.
    [[nodiscard]] double deviationOf(std::size_t triangles, double range = kRange) const {
        return surface_.largestDeviation(*finishMesh(log_.meshAt(triangles)),
                                         {kFewSamples, limit_ / range, limit_ * range});
    }

    /// Measures one state; true if it keeps to the limit, and then it is the best.
    bool accepts(std::size_t triangles) {
        const MeshPtr state = finishMesh(log_.meshAt(triangles));
        const double deviation = surface_.largestDeviation(*state);
        if (deviation > limit_) return false;
        best = {state, deviation, false};
        return true;
    }

    /// Where to look next, between what is too few and what is enough.
    std::size_t guess() {
        const double low = std::log(static_cast<double>(tooFew_.triangles));
        const double high = std::log(static_cast<double>(enough_.triangles));
        double at = (low + high) / 2;
        ++guesses_;
        if (guesses_ == 1)
            at = std::log(static_cast<double>(std::max<std::size_t>(estimate(), 1)));
        else if (tooFew_.deviation > 0 && enough_.deviation > 0 && guesses_ % 3 != 0)
            at = low + (high - low) * std::log(tooFew_.deviation / limit_) /
                           std::log(tooFew_.deviation / enough_.deviation);
        else if (tooFew_.deviation > 0 && enough_.deviation <= 0)
            at = low + std::log(kBeyond * tooFew_.deviation / limit_);
        else if (enough_.deviation > 0 && tooFew_.deviation <= 0)
            at = high - std::log(kBeyond * limit_ / enough_.deviation);
        const double margin = std::min(kPrecision / 3, (high - low) / 4);
        return static_cast<std::size_t>(std::exp(std::clamp(at, low + margin, high - margin)));
    }

    /// The fewest triangles that the reducer believes to keep to the limit.
    [[nodiscard]] std::size_t estimate() const {
        std::size_t low = tooFew_.triangles;
        std::size_t high = enough_.triangles;
        while (low < high) {
            const std::size_t middle = low + (high - low) / 2;
            if (log_.deviationAt(middle) <= limit_)
                high = middle;
            else
                low = middle + 1;
        }
        return high;
    }

    static constexpr double kPrecision = 0.04;
    static constexpr double kBeyond = 1.3;  ///< How far a first step goes past what it aims at.
    static constexpr double kRange = 4;
    static constexpr std::size_t kBackOff = 12;
    static constexpr std::size_t kFewSamples = 3000;
    const PosedSurfaces& surface_;
    const CollapseLog& log_;
    double limit_;
    std::size_t fewest_;
    Known tooFew_, enough_;
    int guesses_ = 0;
};

/// Positions of the mesh's vertices that must stay.
std::vector<Vec3f> lockedPositions(const Mesh& mesh, const std::vector<std::vector<bool>>& locked) {
    std::vector<Vec3f> result;
    for (std::size_t p = 0; p < locked.size(); ++p) {
        const std::vector<Vec3f> positions = positionsOf(mesh.parts[p]);
        for (std::size_t v = 0; v < locked[p].size(); ++v)
            if (locked[p][v]) result.push_back(positions[v]);
    }
    return result;
}

/// Moves what may be placed anywhere to where it lies nearest. Errors: Cancelled.
Expected<void> fit(Reduced& best, const Mesh& mesh, const PosedSurfaces& surfaces,
                   const ReduceOptions& options, const Progress& progress) {
    auto fitted =
        fitVertices(surfaces.rest(), best.mesh, lockedPositions(mesh, options.reducer.locked),
                    options.maxDeviation, progress);
    if (!fitted) return tl::unexpected(fitted.error());
    if (*fitted == best.mesh) return {};
    best.mesh = *fitted;
    best.deviation = surfaces.largestDeviation(*best.mesh);
    return {};
}

}  // namespace

Expected<Reduction> Reduction::begin(const Mesh& mesh, const ReduceOptions& options,
                                     Progress& progress) {
    const bool keepsNormals = options.reducer.placement == Placement::Existing ||
                              options.reducer.lossless || !options.reducer.importance.empty();
    auto plain = std::make_unique<PlainMesh>(mesh, keepsNormals);
    ReducerOptions own = options.reducer;
    own.locked = plain->carryOver(options.reducer.locked);
    auto reducer = Reducer::build(plain->mesh(), own, progress);
    if (!reducer) return tl::unexpected(reducer.error());
    // With sheets no more is known than that each face counts for two at the most.
    const std::size_t least =
        plain->hasSheets() ? options.targetTriangles / 2 : options.targetTriangles;
    if (auto done = reducer->reduceTo(least, options.maxDeviation, progress); !done)
        return tl::unexpected(done.error());
    return Reduction(mesh, std::move(plain), std::move(*reducer).takeLog());
}

std::vector<CurvePoint> Reduction::curve() const {
    std::vector<CurvePoint> points = log_.curve();
    if (!plain_->hasSheets()) return points;
    for (CurvePoint& point : points)
        point.triangles = plain_->restoredTriangles(log_.indicesAt(point.triangles));
    return points;
}

/// The most triangles of the log that restored are no more than so many.
std::size_t Reduction::plainTriangles(std::size_t triangles) const {
    if (!plain_->hasSheets() || triangles == 0) return triangles;
    std::size_t low = std::min(triangles / 2, log_.mostTriangles());
    std::size_t high = std::min(triangles, log_.mostTriangles());
    while (low < high) {
        const std::size_t middle = high - (high - low) / 2;
        if (plain_->restoredTriangles(log_.indicesAt(middle)) <= triangles)
            low = middle;
        else
            high = middle - 1;
    }
    return low;
}

Expected<Reduced> Reduction::finish(const ReduceOptions& options, Progress& progress) const {
    const Mesh& plain = plain_->mesh();
    auto surfaces = PosedSurfaces::build(plain, {}, progress);
    if (!surfaces) return tl::unexpected(surfaces.error());
    auto found = fewestWithin(plain, *surfaces, log_, options.maxDeviation, progress,
                              log_.mostTriangles(), plainTriangles(options.targetTriangles));
    if (!found) return found;
    Reduced best = std::move(*found);
    if (best.mesh->triangles >= plain.triangles) {
        best.mesh = std::make_shared<const Mesh>(mesh_);
    } else {
        const auto indices = log_.indicesAt(best.mesh->triangles);
        std::vector<std::size_t> parts;
        for (std::size_t p = 0; p < indices.size(); ++p)
            if (!indices[p].empty()) parts.push_back(p);
        if (options.reducer.placement == Placement::Optimal && !options.reducer.lossless)
            if (auto done = fit(best, mesh_, *surfaces, options, progress); !done)
                return tl::unexpected(done.error());
        best.mesh = plain_->restore(best.mesh, parts, surfaces->rest());
    }
    best.targetReached = best.mesh->triangles <= options.targetTriangles;
    if (!best.targetReached && options.targetTriangles > 0)
        best.reason = std::isfinite(options.maxDeviation)
                          ? fmt::format("{} triangles are the fewest within {}",
                                        best.mesh->triangles, formatMetres(options.maxDeviation))
                          : fmt::format(
                                "{} triangles are the fewest: what is left are loose "
                                "pieces and edges that cannot be joined",
                                best.mesh->triangles);
    return best;
}

Expected<Reduced> reduce(const Mesh& mesh, const ReduceOptions& options, Progress& progress) {
    if (!(options.maxDeviation >= 0))
        return fail(ErrorCode::InvalidInput, "the largest deviation must not be negative",
                    mesh.name);
    const Reduced whole{std::make_shared<const Mesh>(mesh), 0,
                        mesh.triangles <= options.targetTriangles};
    if (whole.targetReached || mesh.triangles == 0) return whole;
    const auto reduction = Reduction::begin(mesh, options, progress);
    if (!reduction) return tl::unexpected(reduction.error());
    return reduction->finish(options, progress);
}

Expected<Reduced> fewestWithin(const Mesh& mesh, const PosedSurfaces& surface,
                               const CollapseLog& log, double maxDeviation, Progress& progress,
                               std::size_t most, std::size_t least) {
    Search search(surface, log, maxDeviation, least);
    search.best = {std::make_shared<const Mesh>(mesh), 0, false};
    if (auto done = search.run(most, progress); !done) return tl::unexpected(done.error());
    return std::move(search.best);
}

}  // namespace flentro
