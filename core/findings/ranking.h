// What is to blame: assets and objects by what they cost in a view or in the whole scene.

#pragma once

#include <string>
#include <vector>

#include "measure/viewcost.h"

namespace flentro {

enum class CostKind { Asset, Object, Light };

struct CostShare {
    std::string name;
    std::size_t index = 0;   ///< In Scene::assets, objects or placedLights.
    std::size_t copies = 0;  ///< Objects in view that add to it; 1 for a light.
    /// As drawn, at their present levels, for all eyes and in all shadow passes; of a light its
    /// pass. Those of all assets are together what the view counts.
    double triangles = 0;
    double drawCalls = 0;        ///< Likewise; for one object its materials.
    double shadowTriangles = 0;  ///< Share of `triangles` that shadow passes draw.
    double shadowCalls = 0;      ///< Share of `drawCalls`.
    double vertices = 0;         ///< Of the largest part.
    /// Of the textures that it shows; what others show as well is divided among all of them.
    double textureBytes = 0;
    double share = 0;  ///< Of the ranked measure over everything drawn, 0 to 1.
};

/// The drawn assets, objects or lights, heaviest in `by` (Triangles, DrawCalls or TextureBytes)
/// first; ties by index. Cost: O(drawn log drawn).
[[nodiscard]] std::vector<CostShare> rank(const Scene& scene, const Target& target,
                                          const ViewCost& cost, CostKind kind, Measure by);

/// For each object its share of the drawn triangles, 0 to 1; 0 if it is not drawn. [objects]
[[nodiscard]] std::vector<float> shareOfTriangles(const Scene& scene,
                                                  const std::vector<DrawnObject>& drawn);

}  // namespace flentro
