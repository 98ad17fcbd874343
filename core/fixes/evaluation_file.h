// Evaluated work orders kept between sessions, beside the project: opening it shows true numbers
// at once.

#pragma once

#include <filesystem>

#include "fixes/work_order.h"

namespace flentro {

/// Writes the results of all steps, found again by what they were made from. Streams and meshes
/// that steps share are stored once. Cost: about that of writing their bytes. Errors: Io.
[[nodiscard]] Expected<void> saveEvaluation(const Evaluation& evaluation,
                                            const std::filesystem::path& path);

/// Puts the stored results into the cache, if the last of them has this key. True if it did; a
/// file that is damaged, of another version or of another order is passed over.
bool loadEvaluation(const std::filesystem::path& path, const Hash& lastKey, StepCache& cache);

}  // namespace flentro
