// Repeating textures: where the coordinates of triangles that hold together begin.

#pragma once

#include <optional>
#include <vector>

#include "scene/scene.h"

namespace flentro {

struct TileShifts {
    /// [vertices] Whole numbers, the same for all that triangles hold together, which bring its
    /// lowest coordinates into the first copy of the texture.
    std::vector<Vec2f> shifts;
    std::vector<Vec2f> reaches;   ///< [vertices] Its highest coordinates then.
    Vec2f reach = Vec2f::Zero();  ///< Of all.
    [[nodiscard]] bool isNone() const;
};

/// A share of the texture beyond its edge that is rounding, not repeating.
inline constexpr float kTileRounding = 1e-3F;

/// Nothing where coordinates are not finite. `coords`: two components. Cost: O(T log T).
[[nodiscard]] std::optional<TileShifts> tileShifts(const Part& part, const Stream& coords);

/// How much of its texture a part shows on how much surface.
struct LaidArea {
    double surface = 0;  ///< Square metres at scale 1.
    double picture = 0;  ///< Of the whole picture; above 1 where it repeats.
};

/// `coords`: two components. Cost: O(T).
[[nodiscard]] LaidArea laidArea(const Part& part, const Stream& coords);

/// True if pictures read through a sampler are the same a whole number farther on; -1: none.
[[nodiscard]] bool repeatsBothWays(const Scene& scene, int sampler);

}  // namespace flentro
