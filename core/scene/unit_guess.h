// Which unit and axis a file means that does not say: evidence from shapes, sizes and names,
// weighed against each other, so that what is unclear can be asked.

#pragma once

#include <string>
#include <vector>

#include "scene/units.h"

namespace flentro {

/// One choice and what speaks for it.
template <typename Choice>
struct Guess {
    Choice choice{};
    double probability = 0;            ///< Of the choice, among all.
    Choice second{};                   ///< The next best.
    std::vector<std::string> reasons;  ///< For the choice, the strongest first.

    /// Whoever opens the file should be asked.
    [[nodiscard]] bool isUnclear() const { return probability < kClearGuess; }
};

/// What formats are used for.
struct GuessHints {
    UpAxis up = 'Y';       ///< Usual in files of the format.
    bool isSmall = false;  ///< For parts to be made, in millimetres as a rule.
};

/// Up by: what lies at 0, what the surface faces, which way the scene is flat, where it is
/// symmetric, what it rests on, how walls face, the format. `scene` as the file has it. Cost:
/// O(triangles placed), at most about 200,000 of them.
[[nodiscard]] Guess<UpAxis> guessUp(const Scene& scene, const GuessHints& hints);

/// Unit by: how large the whole and its edges would be, what kind of thing names and shapes tell
/// of, the format.
[[nodiscard]] Guess<const LengthUnit*> guessUnit(const Scene& scene, const GuessHints& hints);

/// Names of parts that only machines have, as they occur in the scene, each once.
[[nodiscard]] std::vector<std::string> machineParts(const Scene& scene);

}  // namespace flentro
