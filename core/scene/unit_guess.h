// Unit and up axis of files that do not state them, estimated from shapes, sizes and names, with a
// probability, so that the user is asked where it is low.

#pragma once

#include <string>
#include <vector>

#include "scene/placed_triangles.h"
#include "scene/units.h"

namespace flentro {

/// The most probable choice with its reasons.
template <typename Choice>
struct Guess {
    Choice choice{};
    double probability = 0;            ///< Of the choice, among all.
    Choice second{};                   ///< The next best.
    std::vector<std::string> reasons;  ///< For the choice, the strongest first.

    /// Whoever opens the file should be asked.
    [[nodiscard]] bool isUnclear() const { return probability < kClearGuess; }
};

/// Conventions of the file format.
struct GuessHints {
    UpAxis up = 'Y';       ///< Usual in files of the format.
    bool isSmall = false;  ///< For parts to be made, in millimetres as a rule.
};

/// How a scene in the file's own coordinates, which must outlive it, is to be read.
class ReadingGuess {
public:
    /// Cost: O(vertices + objects); at most about 200,000 triangles are looked at.
    ReadingGuess(const Scene& scene, const GuessHints& hints);

    /// Evidence: bounds that begin at 0, area that faces up, flatness, mirror symmetry, flat lower
    /// ends, vertical walls, the convention of the format.
    [[nodiscard]] Guess<UpAxis> up() const;
    /// Evidence: lengths of the scene and of its edges in each unit, names and shapes of machines
    /// and places, how common the unit is in the format.
    [[nodiscard]] Guess<const LengthUnit*> unit() const;

private:
    static constexpr std::size_t kSample = 200'000;
    const Scene& scene_;
    GuessHints hints_;
    std::vector<PlacedTriangle> triangles_;
};

/// Words for machine parts that occur in names of the scene, each once.
[[nodiscard]] std::vector<std::string> machineParts(const Scene& scene);

}  // namespace flentro
