// Reports of fixes of lights in the files of evaluated orders.

#pragma once

#include "fixes/lights/light_report.h"

namespace flentro {

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(LightLine, name, light, rangeBefore, rangeAfter, endBefore,
                                   endAfter, shadowBefore, shadowAfter, worstChange)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(LightReport, lights, meanChange, worstChange)

}  // namespace flentro
