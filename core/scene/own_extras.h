// extras.flentro: what this program keeps in the extras of nodes and documents.

#pragma once

#include "base/json.h"

namespace flentro {

/// True if something holds extras that are no object: they are somebody else's and stay.
[[nodiscard]] bool hasForeignExtras(const Json& holder);

/// What is kept there; an empty object without.
[[nodiscard]] const Json& ownExtras(const Json& holder);

/// The same to be written to, made where it is missing; null where extras are foreign.
[[nodiscard]] Json* ownExtrasIn(Json& holder);

}  // namespace flentro
