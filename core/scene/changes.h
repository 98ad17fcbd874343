// Two states of one scene, as an artist saves it again and again: what is the same, what is new.

#pragma once

#include <string>
#include <vector>

#include "scene/scene.h"

namespace flentro {

/// Where the things of one scene are in another, by their identity: the names of the nodes above
/// them, and their turn among those of equal names. -1: no longer there.
struct SceneMatch {
    std::vector<int> objects;       ///< [objects before]
    std::vector<int> placedLights;  ///< [placed lights before]
};
/// Cost: O((objects + lights) log).
[[nodiscard]] SceneMatch matchScenes(const Scene& before, const Scene& after);

/// What differs, as one sentence part: "2 objects new, 1 moved; 1 mesh changed"; "nothing that
/// shows" where nothing does.
[[nodiscard]] std::string describeChanges(const Scene& before, const Scene& after);

}  // namespace flentro
