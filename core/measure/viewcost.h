// What a view costs: one definition, used by the counters, the audit and the proof.
//
// For an eye, heading, lens and target: an object is drawn when its bounds meet the frustum
// and its distance, from the eye to the nearest point of its bounds, is below its culling
// distance; its level is chosen by the same distance. docs/methods.md has the formulas.

#pragma once

#include <span>
#include <vector>

#include "base/value.h"
#include "budget/target.h"
#include "scene/scene.h"

namespace flentro {

/// Which objects are drawn, and how.
struct DrawnObject {
    std::uint32_t object = 0;  ///< Index in Scene::objects.
    std::uint32_t level = 0;   ///< 0: the asset's own mesh.
    float distance = 0;        ///< Metres to the nearest point of its bounds.
};

/// A light whose range the view meets, and its shadow pass.
struct DrawnLight {
    std::uint32_t light = 0;     ///< Index in Scene::placedLights.
    bool castsShadow = false;    ///< Its shadow pass is drawn.
    double shadowTriangles = 0;  ///< 0 without shadows.
    double shadowCalls = 0;
};

/// What the shadow passes of a view draw of one object.
struct ShadowDraw {
    std::uint32_t object = 0;  ///< Index in Scene::objects.
    std::uint32_t level = 0;
    std::uint32_t passes = 0;  ///< Shadow lights that draw it.
    double calls = 0;  ///< In all of them; of equal ones that are drawn together the first counts.
};

/// What one view costs.
struct ViewTally {
    Counts counts{};
    double vertices = 0;         ///< Of all drawn objects, both eyes; without shadow passes.
    double materials = 0;        ///< Distinct materials drawn: changes of state.
    double bones = 0;            ///< Joints of the skinned objects drawn.
    double shadowTriangles = 0;  ///< Share of counts[Triangles] for shadow passes.
    double shadowVertices = 0;
    double shadowCalls = 0;  ///< Share of counts[DrawCalls].
};

struct ViewCost : ViewTally {
    FLENTRO_DECLARE_VALUE(ViewCost);

    std::vector<DrawnObject> drawn;   ///< In object order.
    std::vector<DrawnLight> lights;   ///< In light order.
    std::vector<ShadowDraw> shadows;  ///< In object order; those that no pass draws are left out.
};

/// Metres from a point to a box; 0 inside.
[[nodiscard]] double distanceTo(const Box& box, const Vec3d& eye);

/// True if an object is there as seen from `eye`: not culled, and no far stand-in shows instead.
[[nodiscard]] bool isThere(const Scene& scene, const Object& object, const Vec3d& eye);

/// The level shown at a distance: the last whose switch distance, times the object's scale,
/// is not beyond it.
[[nodiscard]] std::size_t levelAt(const Ladder& ladder, double scale, double distance);

/// As levelAt(), for an object that showed `shown` before: coming nearer, that level stays until
/// the ladder's hysteresis is used up.
[[nodiscard]] std::size_t levelAfter(const Ladder& ladder, double scale, double distance,
                                     std::size_t shown);

/// An object of a crowd, as one eye sees it.
struct CrowdMember {
    double distance = 0;
    std::uint32_t object = 0;
    std::uint8_t level = 0;
};

/// The objects that fill the same caps: copies of one asset, or of all that name one crowd.
[[nodiscard]] std::vector<std::vector<std::uint32_t>> crowdsOf(const Scene& scene);

/// Moves the members of one crowd beyond the caps to the next level with room; the nearest choose
/// first. Of several assets' caps the larger count for each level. All copies around the eye
/// count, whether in view or not, so that turning the head changes no level. Cost: O(n log n).
void capLevels(const Scene& scene, std::vector<CrowdMember>& members);

/// The objects that a view draws, in object order, without what they cost: what a renderer
/// needs. `shown` [objects]: the levels that the picture before showed, for hysteresis, and those
/// shown now; of any other size: none was shown. `off` [objects]: as if they were not there; or
/// empty. Cost: O(objects). Reentrant.
[[nodiscard]] std::vector<DrawnObject> selectDrawn(const Scene& scene, const Target& target,
                                                   const Viewpoint& view,
                                                   std::vector<std::uint8_t>* shown = nullptr,
                                                   const std::vector<bool>& off = {});

/// [lights] What the shadow pass of each of these placed lights draws as seen from an eye, in
/// object order; whether it casts there is castingLights()'s to say. `off` as above. Cost:
/// O(objects * lights). Reentrant.
[[nodiscard]] std::vector<std::vector<DrawnObject>> selectCasters(
    const Scene& scene, const Vec3d& eye, std::span<const std::uint32_t> lights,
    const std::vector<bool>& off = {});

/// Objects that a view would draw if none were culled by distance, and does not; the largest on the
/// display first, at most `most`. Cost: O(objects).
[[nodiscard]] std::vector<std::uint32_t> culledFrom(const Scene& scene, const Target& target,
                                                    const Viewpoint& view, std::size_t most = 300);

/// One view; for several of one scene, ask a ViewMeter. Cost: as to build one. Reentrant.
[[nodiscard]] ViewCost viewCost(const Scene& scene, const Target& target, const Viewpoint& view);

/// As if everything were in view, at level 0, and nothing culled.
[[nodiscard]] ViewCost wholeSceneCost(const Scene& scene, const Target& target);

}  // namespace flentro
