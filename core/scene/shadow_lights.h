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

}  // namespace flentro
