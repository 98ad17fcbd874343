// Removes derived data from a mesh before reduction, and restores it afterwards.
//
// Normals computed from the faces add no information, but split vertices along every crease that
// noise makes. A sheet with two opposite faces at each place has four faces at every edge, which
// is non-manifold: no collapse may touch it.

#pragma once

#include <optional>

#include "geometry/mesh.h"
#include "simplify/deviation.h"

namespace flentro {

class PlainMesh {
public:
    /// `keepsNormals`: only the second faces of sheets are left out. Cost: O(T log T).
    PlainMesh(const Mesh& mesh, bool keepsNormals);

    [[nodiscard]] const Mesh& mesh() const { return plain_; }
    /// True if there are faces that restore() adds.
    [[nodiscard]] bool hasSheets() const { return hasSheets_; }
    /// Triangles with those that restore() adds, of a state with so many in each part. [parts]
    [[nodiscard]] std::size_t restoredTriangles(
        const std::vector<std::vector<std::uint32_t>>& indices) const;
    /// Flags [parts][vertices] of the mesh for the vertices that are left: set where one of those
    /// at a position is.
    [[nodiscard]] std::vector<std::vector<bool>> carryOver(
        const std::vector<std::vector<bool>>& flags) const;

    /// A reduced state of mesh() with normals made from `original`, its surface, and both sides of
    /// its sheets. `parts`: which of mesh() each of its parts is.
    [[nodiscard]] MeshPtr restore(const MeshPtr& reduced, const std::vector<std::size_t>& parts,
                                  const Surface& original) const;

private:
    struct Source {
        std::size_t part = 0;          ///< Of the mesh.
        bool isSheet = false;          ///< Its faces show both sides.
        std::optional<double> crease;  ///< Degrees; its normals are made with that.
    };

    const Mesh& source_;
    Mesh plain_;
    std::vector<Source> sources_;  ///< [parts of plain_]
    bool hasSheets_ = false;
    bool makesNormals_ = false;
};

}  // namespace flentro
