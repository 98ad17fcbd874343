// What the import library would misread, miss or never finish, written so that it reads it.

#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/error.h"
#include "scene/scene.h"

namespace flentro {

/// Ends the name of a material that shows both sides, where a format says so of faces.
inline constexpr const char* kTwoSided = " (both sides)";

struct Prepared {
    std::optional<std::string> content;  ///< To be read instead of the file.
    double metres = 0;                   ///< Of one unit, where the file says it; else 0.
    std::vector<Note> notes;
};

/// `ending`: of the format, ".ac". Files of other formats pass.
/// Errors: InvalidInput naming the line or element, for what cannot be meant; Io.
[[nodiscard]] Expected<Prepared> prepare(const std::filesystem::path& file,
                                         const std::string& ending);

// Of one format each, for the content of a file.

/// AC3D: one texture of each object is kept, the one that is called base or else the first; faces
/// that show both sides get materials of their own, whose names end in kTwoSided.
[[nodiscard]] Prepared prepareAc3d(const std::string& text);
/// Object File Format: without comments.
[[nodiscard]] Prepared prepareOff(const std::string& text);
/// STL as text: facets of more than three corners become fans.
[[nodiscard]] Prepared prepareStl(const std::string& text);
/// AMF: numbers are checked, the unit is taken.
[[nodiscard]] Expected<Prepared> prepareAmf(const std::string& text);
/// PLY: the header of a file with so many bytes in all.
struct PlyHeader {
    std::string text;      ///< Without comments.
    std::size_t size = 0;  ///< Bytes of it in the file.
};
/// Errors: InvalidInput where it promises more than the file holds, or no faces.
[[nodiscard]] Expected<PlyHeader> readPlyHeader(std::string_view beginning, std::size_t bytes);
/// Metres of the unit that comments in the beginning of an OBJ file tell; 0 without.
[[nodiscard]] double unitOfObj(std::string_view beginning);

}  // namespace flentro
