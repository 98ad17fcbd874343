// Rewrites files that the import library misreads, reads in part, or never finishes reading.

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
    bool showsBothSides = false;         ///< All faces do, though the library does not say so.
    std::vector<Note> notes;
};

/// `ending`: of the format, ".ac". Files of other formats pass.
/// Errors: InvalidInput naming the line or element, for what cannot be meant; Io.
[[nodiscard]] Expected<Prepared> prepare(const std::filesystem::path& file,
                                         const std::string& ending);

// One function for each format; `text` is the content of the file.

/// AC3D: one texture of each object is kept, the one that is called base or else the first; faces
/// that show both sides get materials of their own, whose names end in kTwoSided.
[[nodiscard]] Prepared prepareAc3d(const std::string& text);
/// Object File Format: without comments.
[[nodiscard]] Prepared prepareOff(const std::string& text);
/// STL as text: facets of more than three corners become fans.
[[nodiscard]] Prepared prepareStl(const std::string& text);
/// X3D and COLLADA: whether faces show both sides, which the library does not read. As which do is
/// not known then, all do where some do, and a note says so.
[[nodiscard]] Prepared findSides(const std::string& text, const std::string& ending);
/// AMF: numbers are checked, the unit is taken.
[[nodiscard]] Expected<Prepared> prepareAmf(const std::string& text);
/// Header of a PLY file.
struct PlyHeader {
    std::string text;      ///< Without comments.
    std::size_t size = 0;  ///< Bytes of it in the file.
};
/// `beginning` of a file of `bytes` bytes. Errors: InvalidInput where the header declares more data
/// than the file holds, or no faces.
[[nodiscard]] Expected<PlyHeader> readPlyHeader(std::string_view beginning, std::size_t bytes);
/// Length in metres of the unit named in the leading comments of an OBJ file; 0 if there is none.
[[nodiscard]] double unitOfObj(std::string_view beginning);

}  // namespace flentro
