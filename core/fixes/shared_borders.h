// Where the open borders of placed objects meet: terrain in cells, walls in pieces.

#pragma once

#include "scene/scene.h"

namespace flentro {

/// Vertices that no reduction may move, so that neighbours meet without gaps whatever level each
/// shows: those on an open border at the place of another object's. [assets][parts][vertices];
/// empty for assets without any. Cost: O(T log T + border vertices of all
/// objects), on all cores; memory for about half a million of those a core.
[[nodiscard]] std::vector<std::vector<std::vector<bool>>> findSharedBorders(const Scene& scene);

}  // namespace flentro
