// Savings in JSON, for the reports of several fixes.

#pragma once

#include "fixes/fix.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Saving, what, triangles, placed, vertices)

}  // namespace flentro
