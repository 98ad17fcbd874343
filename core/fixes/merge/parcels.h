// Which objects may be merged, and which of them stand together.

#pragma once

#include "fixes/merge/merge.h"

namespace flentro {

/// Why an object stays alone; Static ones may be merged.
enum class MergeEligibility { Static, Moves, Bends, Transparent, Kept, Empty };

/// [objects] Moving, animated, skinned, transparent and kept objects are left alone.
[[nodiscard]] std::vector<MergeEligibility> eligibilityOf(const Scene& scene,
                                                          const MergeSettings& settings);

/// What an object shows, by its index.
[[nodiscard]] const Asset& assetOf(const Scene& scene, std::uint32_t object);

/// Objects that become one: indices in rising order.
using Group = std::vector<std::uint32_t>;

/// One object with the bounds and origins of all, that goes and loses its shadow where the last of
/// them does; without node and asset.
[[nodiscard]] Object joinObjects(const Scene& scene, const Group& group);

/// [objects] True for those in any group.
[[nodiscard]] std::vector<bool> membersOf(const std::vector<Group>& groups, std::size_t objects);

/// Divides the objects marked into groups of at least two, each in a box with edges of `size`
/// metres, with one shadow flag, zone and, if asked, one set of lights, and culling distances that
/// differ by `maxCullRatio` at most. Larger objects stay alone. Grid: by cell of an object's
/// middle, O(n log n). Material: likewise, but only objects that show one kind of part, those of
/// each kind by themselves. Near: the nearest first, by the gaps between bounds, O(n log n) for
/// objects spread evenly.
[[nodiscard]] std::vector<Group> groupObjects(const Scene& scene, const std::vector<bool>& marked,
                                              const MergeSettings& settings, double size);

}  // namespace flentro
