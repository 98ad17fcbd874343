// The formats that scenes are read from, and what their files say of units and axes.

#pragma once

#include <filesystem>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "scene/units.h"

namespace flentro {

struct SceneFormat {
    const char* name;                  ///< "Wavefront OBJ".
    std::vector<const char*> endings;  ///< ".obj": with the dot, lower case; the first is usual.
    /// Key of the LengthUnit that the standard, the file or its reader gives; empty: none does.
    const char* unit;
    bool isSmall;  ///< Without a unit: of parts that are made, so in millimetres first.
    UpAxis up;     ///< That the reader hands over; where `saysUp` is false: what is usual.
    bool saysUp;
};

/// All that was tried, glTF first.
[[nodiscard]] const std::vector<SceneFormat>& sceneFormats();

/// By what the file begins with; null if that tells nothing.
[[nodiscard]] const SceneFormat* formatOfContent(std::string_view beginning);
/// By the file's ending, whatever its case; null if it is unknown.
[[nodiscard]] const SceneFormat* formatOfEnding(const std::filesystem::path& path);

/// "glTF 2.0 (.glb, .gltf), Wavefront OBJ (.obj), ...": for dialogs and messages.
[[nodiscard]] std::string describeFormats();

/// True for glTF before 2.0, which is read like any other format.
[[nodiscard]] bool isOldGltf(std::string_view beginning);

}  // namespace flentro
