// How large things are ever seen, as far as fixes of materials ask.

#pragma once

#include <vector>

#include "fixes/evidence.h"

namespace flentro {

/// [objects] Square root of the most pixels that any place sees of what an object shows; 0: not
/// seen. Needs evidence with rays: else all are infinity, as if somebody stood before them.
[[nodiscard]] std::vector<double> seenEdges(const Scene& scene, const Evidence& evidence);

/// [materials] The most of the objects that show each, with any level, and with any variant; those
/// of assets marked as backdrop do not count. Materials without objects: 0.
[[nodiscard]] std::vector<double> materialEdges(const Scene& scene, const Evidence& evidence);

/// [materials] True where an asset that is to be kept shows it.
[[nodiscard]] std::vector<bool> keptMaterials(const Scene& scene);

}  // namespace flentro
