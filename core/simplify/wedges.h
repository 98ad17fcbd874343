// A mesh taken apart for reduction: positions, wedges and triangles in unit coordinates.

#pragma once

#include "geometry/mesh.h"

namespace flentro {

/// How attributes weigh against geometry; see docs/methods.md.
struct AttributeWeights {
    /// Mean edge lengths per unit of difference, >= 0: fine meshes carry in their normals what
    /// coarse ones carry in their shape, and must not pay for it twice.
    double normal = 0.005;
    double texCoord = 0.005;  ///< Metres of deviation per metre that the texture slides, >= 0.
    double color = 0.01;      ///< Diagonals per unit of difference, >= 0.
    /// Metres of deviation per metre between the bones that hold a vertex, >= 0.
    double skin = 0.1;
};

/// Most numbers of one vertex that the metric looks at: normal, two sets of texture coordinates,
/// colour, and where its bones are.
inline constexpr int kMaxAttributes = 13;

/// Where the bones of a vertex are: the middles of what each bone holds, by the vertex's weights.
/// Linear in the weights, so that a quadric tells where they change otherwise than evenly.
inline constexpr const char* kBonePlace = "bone place";

/// An attribute that the metric looks at, and how its numbers are scaled.
struct AttributeSlot {
    std::string semantic;
    int components = 0;
    double scale = 1;  ///< Of the metric's number to the stored one.

    /// The number to store for component `c` of the metric's `values`: normals have length 1.
    [[nodiscard]] float stored(const float* values, int c) const;
};

/// All triangle parts of a mesh side by side. Vertices that are equal in every attribute are
/// one wedge; wedges that are equal in place are one position.
struct WedgeMesh {
    std::vector<Vec3f> positions;               ///< [P] centred, diagonal of the bounds = 1.
    std::vector<std::uint32_t> wedgePosition;   ///< [W]
    std::vector<std::uint32_t> wedgeVertex;     ///< [W] index in its part.
    std::vector<std::uint32_t> wedgePart;       ///< [W]
    std::vector<std::uint32_t> corners;         ///< [3T] wedges; no triangle is degenerate.
    int attributeCount = 0;                     ///< K <= kMaxAttributes
    std::vector<AttributeSlot> attributeSlots;  ///< What they are, K numbers together.
    std::vector<float> attributes;              ///< [W * K], scaled by their weights.
    Vec3d centre = Vec3d::Zero();               ///< Metres; the origin of `positions`.
    double unit = 1;                            ///< Metres of one unit.
};

/// Cost: O(V + T) expected.
[[nodiscard]] WedgeMesh takeApart(const Mesh& mesh, const AttributeWeights& weights);

}  // namespace flentro
