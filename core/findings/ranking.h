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
    bool castsShadow = false;    ///< A light whose shadow pass is drawn.
    double vertices = 0;         ///< Of the largest part.
    double materials = 0;        ///< Of the object that has most.
    double textureEdge = 0;      ///< Pixels, of the largest texture.
    /// Of the textures that it shows; what others show as well is divided among all of them.
    double textureBytes = 0;
    /// Of the ranked measure over everything drawn, 0 to 1; of the largest where the measure is the
    /// largest in use.
    double share = 0;
};

/// Triangles of one object in all the shadow passes that draw it.
[[nodiscard]] double shadowTriangles(const Scene& scene, const ShadowDraw& shadow);

/// What an entry adds to a measure, or has of it where the measure is the largest in use. Of a
/// light: 1 for Lights, 1 for ShadowLights if it casts shadows.
[[nodiscard]] double valueOf(const CostShare& share, CostKind kind, Measure measure);

/// The drawn assets, objects or lights, heaviest in `by` first; ties by index.
/// Cost: O(drawn log drawn).
[[nodiscard]] std::vector<CostShare> rank(const Scene& scene, const Target& target,
                                          const ViewCost& cost, CostKind kind, Measure by);

/// Key of the fix that serves first against a measure that is over its limit.
[[nodiscard]] const char* fixFor(Measure measure);

/// For each object its share of the drawn triangles, 0 to 1; 0 if it is not drawn. [objects]
[[nodiscard]] std::vector<float> shareOfTriangles(const Scene& scene,
                                                  const std::vector<DrawnObject>& drawn);

}  // namespace flentro
