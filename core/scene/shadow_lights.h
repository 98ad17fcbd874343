// Which lights cast shadows, as an artist says: glTF has no word for it.

#pragma once

#include <set>
#include <string>

#include "scene/scene.h"

namespace flentro {

struct ShadowLights {
    bool all = false;
    std::set<std::string> names = {};  ///< Of placed lights; of no use with `all`.

    bool operator==(const ShadowLights&) const = default;
};

/// Lets a light cast shadows or not, also in its node's extras.castsShadow, where an export keeps
/// it. Extras that are no object stay where nothing has to be told.
void setCastsShadow(Scene& scene, PlacedLight& light, bool casts);

/// Lets these lights cast shadows and no others, in their nodes' extras.castsShadow as well, where
/// an export keeps it. Names that no light has are noted.
void castShadows(Scene& scene, const ShadowLights& wanted);

/// What a light sends to an eye, unhindered: lux for a point light of one candela at one metre.
/// Directional lights are the strongest; from nowhere (NaN) it is the candela.
[[nodiscard]] double strengthAt(const Scene& scene, const PlacedLight& placed, const Vec3d& eye);

/// [placed lights] Those that cast shadows as seen from `eye`: no more than shadowLightsAtOnce, the
/// strongest there. From nowhere (NaN) those of the most candela. Cost: O(lights log lights).
[[nodiscard]] std::vector<bool> castingLights(const Scene& scene, const Vec3d& eye);

/// Lets at most so many cast at once, also in the document's extras.flentro, where an export keeps
/// it.
void limitShadowLights(Scene& scene, int atOnce);

}  // namespace flentro
