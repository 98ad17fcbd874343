// Meshes that are the same thing, moved.

#pragma once

#include <memory>
#include <optional>
#include <span>

#include "geometry/mesh.h"

namespace flentro {

/// What is the same of a mesh wherever it stands and however its vertices are ordered.
class Shape {
public:
    /// `materials` [materials]: those equal in value have equal numbers; empty: as they are.
    /// The mesh must outlive the shape. Cost: O(V + T).
    Shape(const Mesh& mesh, std::span<const int> materials);
    ~Shape();
    Shape(Shape&&) noexcept;
    Shape& operator=(Shape&&) noexcept;

    /// Equal for congruent meshes: materials, counts and kinds of attributes.
    [[nodiscard]] const Hash& key() const;
    /// Spread of the surface around its middle over its size: nearly equal for congruent meshes,
    /// whatever their scale. 0 without a surface.
    [[nodiscard]] double radiusOfGyration() const;

    /// The motion that takes this mesh to another: to the same triangles in any order, each corner
    /// within `tolerance` diagonals and with the same attributes. Bent meshes (bones, morph
    /// targets) have none. With `moved` rotation, uniform scale and mirroring are looked for,
    /// from triangles that are rare in the mesh, and settled over all vertices (Umeyama 1991).
    /// Cost: O(V + T) for each of some attempts.
    [[nodiscard]] std::optional<Mat4d> similarityTo(const Shape& other, double tolerance,
                                                    bool moved) const;

private:
    struct State;
    std::unique_ptr<const State> state_;
};

}  // namespace flentro
