// One mesh from many, in the space of their parcel.

#pragma once

#include <span>

#include "fixes/merge/parcels.h"

namespace flentro {

/// What parts must have in common to become one: material, kinds of attributes, other members.
/// Parts that lack colours or texture coordinates get white and zero; normals and tangents are
/// never made up.
[[nodiscard]] Hash partKind(const Part& part);

/// Groups of which the merged mesh has more kinds of parts than `most`, divided: objects with like
/// materials stay together; single ones are left out. 0: no limit.
[[nodiscard]] std::vector<Group> divideByParts(const Scene& scene, std::vector<Group> groups,
                                               std::size_t most);

/// The mesh with its parts of one kind joined; the same if there are none. What bends stays apart.
[[nodiscard]] MeshPtr joinParts(const MeshPtr& mesh);

/// The objects of a group as one asset: a part for each kind, more where `maxVertices` asks for
/// it; level by level, each switched where the last of the members would; with ranges that lead
/// back. Its origin is `centre`, without rotation or scale. Cost: O(V + T).
[[nodiscard]] Asset mergeGroup(const Scene& scene, const Group& group, const Vec3d& centre,
                               std::size_t maxVertices, const std::string& name);

}  // namespace flentro
