// How the bones of a skinned asset stand while its animations play.

#pragma once

#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Local transforms of all nodes at `seconds` of an animation (glTF 2.0, 3.11 and appendix C:
/// steps, straight lines, turns along great circles, cubic splines).
[[nodiscard]] std::vector<Mat4d> localTransformsAt(const Scene& scene, const Animation& animation,
                                                   double seconds);

/// What takes a place of the mesh to the space of a joint of its skin; the identity if the file
/// says nothing.
[[nodiscard]] Mat4d inverseBindOf(const Skin& skin, std::size_t joint);

/// [joints] What takes a place of a skinned object's mesh to where each bone alone holds it in the
/// world, as the nodes are. Empty without a skin. Cost: O(nodes).
[[nodiscard]] std::vector<Mat4d> boneTransforms(const Scene& scene, const Object& object);

/// [joints of the skin] What takes a place of the mesh at rest to where the bone holds it, in the
/// mesh's own space as at rest.
struct Pose {
    std::vector<Mat4d> joints;
};

/// `count` poses spread evenly over all animations that move bones of the asset's skin; of the
/// first object that shows it. None for assets without bones or movement.
/// Cost: O(count * (nodes + channels)).
[[nodiscard]] std::vector<Pose> samplePoses(const Scene& scene, int asset, std::size_t count);

/// The mesh as a pose holds it: positions alone move. Parts without bones stay.
[[nodiscard]] Mesh posed(const Mesh& mesh, const Pose& pose);

}  // namespace flentro
