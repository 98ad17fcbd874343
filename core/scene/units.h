// Lengths and axes: files in other units or with another axis up are turned into metres with Y
// up, which is what glTF and everything that measures here work in.

#pragma once

#include <span>
#include <string>
#include <string_view>

#include "scene/scene.h"

namespace flentro {

struct LengthUnit {
    const char* key;   ///< "mm": in files and on the command line.
    const char* name;  ///< "millimetres".
    double metres;     ///< Of one.
};

/// All that can be chosen, from small to large.
[[nodiscard]] std::span<const LengthUnit> lengthUnits();
/// Null for a key that is none.
[[nodiscard]] const LengthUnit* findUnit(std::string_view key);
/// The unit of that length, to a thousandth; null if it is none of them.
[[nodiscard]] const LengthUnit* unitOfLength(double metres);

/// Which axis points up, as files write it: 'Y' or 'Z'.
using UpAxis = char;

/// A guess from size and shape alone. Things as compact as a machine or a figure are between 2 cm
/// and 40 m long, flat ones such as a terrain or a track between 1 m and 20 km: the first unit of
/// metre, centimetre and millimetre with which that holds and most edges are shorter than 60 m, or
/// the metre. Scenes without textures
/// are taken for constructions and tried in millimetres before centimetres. `small`, for formats of
/// made parts: in millimetres before all, and flat ones may be as short as compact ones.
[[nodiscard]] const LengthUnit& guessUnit(const Scene& scene, bool small);

/// The axis that ground and floors face: Z where at least twice as much area faces +Z as +Y and
/// the scene is flat that way, the other way round Y; else `usual`.
/// Cost: O(triangles placed), at most about 200,000 of them.
[[nodiscard]] UpAxis guessUpAxis(const Scene& scene, UpAxis usual);

/// Puts the roots of every scene below a node that scales and turns them to metres with Y up.
/// Ranges, brightness and clip planes of lights and cameras, which no node scales, follow.
/// Metres with Y up: nothing changes.
void convertUnits(Scene& scene, const LengthUnit& unit, UpAxis up);

}  // namespace flentro
