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

/// Guesses that are less probable are asked.
inline constexpr double kClearGuess = 0.9;

/// Which axis points up, as files write it: 'Y' or 'Z'.
using UpAxis = char;

/// How a file was read: "Read in metres with Y up, as the file says: 42 m long." With guesses, how
/// sure they are and why; what is doubtful.
[[nodiscard]] std::string describeReading(const Scene& scene);

/// "62 % sure", never more than 99.
[[nodiscard]] std::string describeProbability(double probability);

/// True where a guess is less probable than kClearGuess, or what the file states is doubtful.
[[nodiscard]] bool isUpUnclear(const SourceUnits& units);
[[nodiscard]] bool isUnitUnclear(const SourceUnits& units);
[[nodiscard]] inline bool isReadingUnclear(const SourceUnits& units) {
    return isUpUnclear(units) || isUnitUnclear(units);
}

/// Rotates coordinates of a file with that axis up to Y up.
[[nodiscard]] Eigen::Matrix3d toYUp(UpAxis up);

/// Puts the roots of every scene below a node that scales and turns them to metres with Y up.
/// Ranges, brightness and clip planes of lights and cameras, which no node scales, follow.
/// Metres with Y up: nothing changes.
void convertUnits(Scene& scene, const LengthUnit& unit, UpAxis up);

}  // namespace flentro
