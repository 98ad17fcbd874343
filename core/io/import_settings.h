// How a file is to be understood where it does not say so itself, or says it wrongly.

#pragma once

#include <optional>
#include <string>

#include "base/error.h"
#include "base/json.h"
#include "geometry/crease.h"
#include "scene/shadow_lights.h"
#include "scene/units.h"

namespace flentro {

struct ImportSettings {
    std::string unit;  ///< Key of a LengthUnit; empty: as the file says, or guessed.
    UpAxis up = 0;     ///< 'Y' or 'Z'; 0: as the file says, or guessed.
    double creaseAngle = kCreaseAngle;         ///< Degrees; for other formats than glTF.
    std::optional<ShadowLights> shadowLights;  ///< Nothing: as the file says.
    std::string variant;  ///< Of KHR_materials_variants; empty: the file's own materials.

    bool operator==(const ImportSettings&) const = default;
};

/// Members that are as by default are left out.
[[nodiscard]] Json toJson(const ImportSettings& settings);

/// Errors: InvalidInput naming the member, for unknown names and values as well.
[[nodiscard]] Expected<ImportSettings> parseImportSettings(const Json& json);

}  // namespace flentro
