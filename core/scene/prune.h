// Taking out of a scene what nothing refers to.

#pragma once

#include "scene/scene.h"

namespace flentro {

struct PruneOptions {
    /// Also nodes that hold nothing, move nothing and have nothing below them; programs may look
    /// some of them up by name.
    bool emptyNodes = false;
};

/// Numbers of what was taken out.
struct Pruned {
    std::size_t materials = 0;
    std::size_t textures = 0;
    std::size_t images = 0;
    std::size_t samplers = 0;
    std::size_t skins = 0;
    std::size_t nodes = 0;
};

/// Drops materials, textures, images, samplers and skins without use; nothing where extensions
/// that we do not know may refer to them. Cost: O(scene's lists).
Pruned pruneUnused(Scene& scene, const PruneOptions& options = {});

}  // namespace flentro
