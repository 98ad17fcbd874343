// A mesh without what follows from the rest of it: reduced without, and given back.
//
// Normals that follow from the faces hold nothing, but divide the surface along every crease that
// noise makes; a sheet with each face twice, once for either side, has four faces at every edge,
// which no collapse may touch.

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
