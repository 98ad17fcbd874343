// Damage of the kinds that files suffer: by accident, by odd writers, and on purpose.

#pragma once

#include <cstddef>
#include <random>
#include <vector>

namespace flentro::fuzz {

using Bytes = std::vector<std::byte>;
using Random = std::mt19937;

/// The file with a few changes: in members of its JSON (also of a .glb's) or in its bytes.
[[nodiscard]] Bytes mutate(const Bytes& file, Random& random);

}  // namespace flentro::fuzz
