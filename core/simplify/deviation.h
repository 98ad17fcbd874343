// How far two surfaces lie apart, measured.

#pragma once

#include <functional>
#include <limits>
#include <memory>
#include <span>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "geometry/mesh.h"

namespace flentro {

/// How far two surfaces lie apart, metres.
struct Deviation {
    double largest = 0;
    double mean = 0;
};

/// How far the shading of two surfaces lies apart.
struct AttributeDeviation {
    double normal = 0;   ///< Degrees, mean.
    double texture = 0;  ///< Metres that the texture lies off, mean of all but the worst twentieth:
                         ///< beside a seam the nearest point may be across it.
};

/// Samples of each side that keep the error of the measured maximum to a few percent on
/// scanned surfaces while a mesh takes milliseconds.
inline constexpr std::size_t kDeviationSamples = 12'000;

/// How closely a largest distance is looked for.
struct DeviationSampling {
    std::size_t samples = kDeviationSamples;
    double least = 0;                                       ///< Metres; told if the truth is less.
    double most = std::numeric_limits<double>::infinity();  ///< Metres; the first above will do.
};

struct SurfaceSample {
    Vec3f point;
    Vec3f normal;                ///< Of its triangle, of any length.
    double area = 0;             ///< Of its triangle, twice.
    std::uint32_t triangle = 0;  ///< Of all parts, one after the other.
};

/// The point of a surface that is nearest to some other.
struct NearestPoint {
    Vec3f point;
    Vec3f normal;                ///< Of its triangle, of any length.
    std::uint32_t triangle = 0;  ///< Of all parts, one after the other.
};

/// A surface that distances are measured to. Reentrant once built.
class Surface {
public:
    /// Cost: O(T log T).
    explicit Surface(const Mesh& mesh);
    /// The same, which can be stopped. Errors: Cancelled.
    [[nodiscard]] static Expected<Surface> build(const Mesh& mesh, const Progress& progress);
    ~Surface();
    Surface(Surface&&) noexcept;
    Surface& operator=(Surface&&) noexcept;

    [[nodiscard]] bool empty() const;

    /// Metres from a point to the nearest point of the surface; `within` if that is farther.
    /// Cost: O(log T) typically, the less the nearer `within` is to the truth.
    [[nodiscard]] double distanceTo(const Vec3f& point,
                                    double within = std::numeric_limits<double>::infinity()) const;

    /// The nearest point to each of `points`, given to visit(index, NearestPoint) in their order;
    /// nothing if the surface is empty. Cost: as distancesFrom(), each from where the one before
    /// was.
    void forEachNearest(std::span<const SurfaceSample> points,
                        const std::function<void(std::size_t, const NearestPoint&)>& visit) const;

    /// Vertices, middles of edges and faces, evenly thinned to about so many; made once.
    [[nodiscard]] const std::vector<SurfaceSample>& samples(std::size_t count) const;

    /// Distances of points to this surface, the mean weighted by area.
    [[nodiscard]] Deviation distancesFrom(std::span<const SurfaceSample> points) const;

    /// The largest of those distances alone, looked for as `sampling` says. Cost: most points are
    /// passed over without a search, as some point is known to be near enough.
    [[nodiscard]] double farthest(std::span<const SurfaceSample> points,
                                  const DeviationSampling& sampling) const;

    /// Normals and first texture coordinates in the middles of faces of `mesh` against those of
    /// the nearest points here, where there are any within so many metres. 0 for what either side
    /// lacks. Cost: as for distances.
    [[nodiscard]] AttributeDeviation attributesFrom(
        const Mesh& mesh, std::size_t samples,
        double within = std::numeric_limits<double>::infinity()) const;

private:
    struct State;
    explicit Surface(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

/// Two-sided sampled Hausdorff distance and the larger of both sides' means (Cignoni, Rocchini,
/// Scopigno 1998). The true largest distance is never smaller. Infinity if one side is empty and
/// the other is not; 0 if both are.
[[nodiscard]] Deviation measureDeviation(const Surface& a, const Mesh& b,
                                         std::size_t samples = kDeviationSamples);

/// Gives the mesh in one pose.
using PoseMesh = std::function<Mesh(const Mesh&)>;

/// A mesh at rest, as each of its morph targets moves it and as its bones hold it: what a level
/// must stand for. Of many targets those that move farthest are looked at.
class PosedSurfaces {
public:
    /// `poses`: how bones move any mesh of the same joints. Cost: as a Surface for each pose.
    explicit PosedSurfaces(const Mesh& mesh, std::vector<PoseMesh> poses = {});
    /// The same, which can be stopped. Errors: Cancelled.
    [[nodiscard]] static Expected<PosedSurfaces> build(const Mesh& mesh,
                                                       std::vector<PoseMesh> poses,
                                                       const Progress& progress);

    [[nodiscard]] const Surface& rest() const { return rest_; }
    /// The largest deviation of a mesh with the same targets and joints, over all poses.
    [[nodiscard]] double largestDeviation(const Mesh& mesh,
                                          const DeviationSampling& sampling = {}) const;

private:
    PosedSurfaces(Surface rest, std::vector<PoseMesh> poses)
        : rest_(std::move(rest)), poses_(std::move(poses)) {}

    Surface rest_;
    std::vector<PoseMesh> poses_;  ///< Of targets and bones.
    std::vector<Surface> posed_;   ///< [poses_]
};

/// The mesh with one morph target applied in full.
[[nodiscard]] Mesh posed(const Mesh& mesh, std::size_t target);

/// measureDeviation().largest, for a fraction of its cost.
[[nodiscard]] double largestDeviation(const Surface& a, const Mesh& b,
                                      const DeviationSampling& sampling = {});

}  // namespace flentro
