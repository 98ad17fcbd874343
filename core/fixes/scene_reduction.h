// Reduces all meshes of a scene to one total number of triangles.

#pragma once

#include <string>
#include <vector>

#include "scene/scene.h"
#include "simplify/reduce.h"

namespace flentro {

struct SceneReduction {
    std::string asset;          ///< Only assets of this name; empty: all.
    std::size_t triangles = 0;  ///< Of all chosen assets together, each counted once; 0: any.
    double ratio = 0;           ///< Share of their triangles instead; 0: any.
    bool forEach = false;       ///< Triangles and ratio are those of each asset.
    /// Metres in the scene, where the asset is placed largest.
    double maxDeviation = std::numeric_limits<double>::infinity();
    bool freeBorders = false;  ///< Also borders that meet another object's may move.
    ReducerOptions reducer;
};

struct ReducedAsset {
    std::size_t asset = 0;
    std::size_t before = 0;  ///< Triangles.
    std::size_t after = 0;
    double deviation = 0;  ///< Metres in the scene, where it is placed largest; sampled.
};

struct ReducedScene {
    Scene scene;
    std::vector<ReducedAsset> assets;  ///< That were chosen.
    std::size_t wanted = 0;            ///< Triangles of them together; 0: no number was asked for.
    std::vector<Note> notes;           ///< Why a number was not reached.
    [[nodiscard]] std::size_t triangles() const;
};

/// [assets] The largest scale that each is placed at; 1 for those that are nowhere.
[[nodiscard]] std::vector<double> placedScales(const Scene& scene);

/// Reduces assets so that together they keep as many triangles as asked for: each until it deviates
/// as much as the others where it is placed. Levels that would not be lighter any more go.
/// Errors: as reduce(). Cost: that of reduce() for all; memory: a few bytes for each vertex.
[[nodiscard]] Expected<ReducedScene> reduceScene(const Scene& scene, const SceneReduction& options,
                                                 Progress& progress);

}  // namespace flentro
