// A scene made ready for rays: every mesh once, every object an instance of it (Embree 3).
//
// Rays see what a renderer would draw: back faces of single-sided materials, texels below the
// alpha cut-off, and objects beyond their culling distance let them through. Transparent
// surfaces are seen and let the ray through.

#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "base/error.h"
#include "base/progress.h"
#include "measure/lighting.h"
#include "measure/view_meter.h"
#include "scene/scene.h"
#include "survey/texture_mapping.h"

namespace flentro {

/// What a ray met.
struct RayHit {
    static constexpr std::uint32_t kNothing = 0xFFFFFFFFU;
    std::uint32_t object = kNothing;  ///< Index in Scene::objects.
    std::uint32_t part = 0;           ///< Row of RayScene::parts().
    std::uint32_t triangle = 0;       ///< In the whole scene's numbering of unique triangles.
    float distance = 0;               ///< Metres.

    [[nodiscard]] bool met() const { return object != kNothing; }
};

/// Sixteen rays from one eye; unused lanes are not `valid`.
struct alignas(64) RayPacket {
    static constexpr int kLanes = 16;
    float x[kLanes], y[kLanes], z[kLanes];  ///< Unit directions.
    int valid[kLanes];                      ///< -1: to be traced; 0: not.
};

/// Takes what the rays of a packet meet on their way, nearest first for each lane.
class RaySink {
public:
    virtual ~RaySink() = default;
    /// A surface that is seen; `opaque` ends the ray.
    virtual void meet(int lane, const RayHit& hit, bool opaque) = 0;
    /// True if opaque surfaces are to be counted and passed as well.
    [[nodiscard]] virtual bool passesAll() const { return false; }
};

/// Keeps the scene's meshes alive. All queries are reentrant.
class RayScene {
public:
    struct PartRow {
        std::uint32_t firstTriangle = 0;
        int material = -1;
        bool twoSided = false;
        AlphaMode alpha = AlphaMode::Opaque;
        std::uint32_t firstMapping = 0;  ///< In mappings(), of its material.
        std::uint32_t mappings = 0;
        std::size_t firstDensity = 0;  ///< [mappings][triangles of the part]
    };

    /// Cost: O(unique triangles log triangles). Objects with singular transforms are baked.
    explicit RayScene(const Scene& scene);
    /// The same, which can be stopped. Errors: Cancelled.
    [[nodiscard]] static Expected<RayScene> build(const Scene& scene, Progress& progress);
    ~RayScene();
    RayScene(RayScene&&) noexcept;
    RayScene& operator=(RayScene&&) noexcept;

    /// Traces a packet within `farthest` metres, through objects that `sightings` hold for gone.
    void trace(const Vec3d& eye, const RayPacket& rays, float farthest,
               const EyeVisibility& sightings, RaySink& sink) const;

    /// What one ray meets first, nothing culled, no far stand-ins. `direction` need not be a unit
    /// vector.
    [[nodiscard]] RayHit first(const Vec3d& from, const Vec3d& direction, double nearest = 0,
                               double farthest = 1e9) const;

    /// True if a ray meets this triangle of this object before anything opaque: through
    /// transparent surfaces, single-sided ones from behind, and what `sightings` hold for gone.
    [[nodiscard]] bool reaches(const Vec3d& from, const Vec3d& direction, double farthest,
                               std::uint32_t object, std::uint32_t triangle,
                               const EyeVisibility* sightings = nullptr) const;

    /// True if a ray from a light meets something opaque that casts shadows: through transparent
    /// surfaces, faces that turn away from it, far stand-ins and objects that cast none.
    [[nodiscard]] bool isShadowed(const LightRay& ray) const;

    /// The same for many, [rays]. They go sixteen at a time: fastest where neighbours in their
    /// order are near one another, as those of one light are.
    [[nodiscard]] std::vector<bool> shadowed(std::span<const LightRay> rays) const;

    /// As trace() without any of its rules: Embree's own rate, to compare with.
    [[nodiscard]] std::size_t traceBare(const Vec3d& eye, const RayPacket& rays) const;

    [[nodiscard]] std::size_t triangleCount() const;
    [[nodiscard]] std::span<const PartRow> parts() const;
    /// The row that a triangle belongs to. Cost: O(log parts).
    [[nodiscard]] const PartRow& partOf(std::uint32_t triangle) const;
    /// First triangle of each asset in the numbering of RayHit::triangle. [assets + 1]
    [[nodiscard]] std::span<const std::uint32_t> firstTriangles() const;
    /// First row of parts() of each asset. [assets + 1]
    [[nodiscard]] std::span<const std::uint32_t> firstParts() const;
    [[nodiscard]] const TextureMappings& mappings() const;
    /// Texture coordinates a metre of the world where an image of the hit's material lies on it,
    /// along the direction in which it is stretched most; 0 without such coordinates. `mapping`
    /// counts from PartRow::firstMapping.
    [[nodiscard]] float texCoordDensity(const RayHit& hit, std::uint32_t mapping) const;
    /// World-space corners of one triangle of one object.
    [[nodiscard]] std::array<Vec3d, 3> corners(std::uint32_t object, std::uint32_t triangle) const;

private:
    struct State;
    explicit RayScene(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

/// Builds a scene's rays where that has not been done. Errors: Cancelled.
[[nodiscard]] Expected<void> ensureRays(std::unique_ptr<RayScene>& rays, const Scene& scene,
                                        Progress& progress);

}  // namespace flentro
