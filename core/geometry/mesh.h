// Triangle meshes: parts (one material each) of shared attribute streams and indices.

#pragma once

#include <array>
#include <cassert>
#include <memory>
#include <string>
#include <vector>

#include "base/json.h"
#include "base/value.h"
#include "geometry/stream.h"

namespace flentro {

struct Attribute {
    std::string semantic;  ///< glTF names: POSITION, NORMAL, TEXCOORD_0, JOINTS_0, ...
    StreamPtr stream;      ///< [V]; may be shared with other parts and meshes.
};

/// What one draw call draws.
struct Part {
    FLENTRO_DECLARE_VALUE(Part);

    int material = -1;                   ///< Index in the scene; -1: the default material.
    int mode = 4;                        ///< glTF primitive mode; 4: triangles. Strips and fans
                                         ///< are read as triangles; points and lines are kept.
    std::vector<Attribute> attributes;   ///< All of the same length V.
    std::vector<std::uint32_t> indices;  ///< [3T], counter-clockwise; [n] for points and lines.
    std::vector<std::vector<Attribute>> targets;  ///< Morph targets, each [V].
    Json rest;                                    ///< Other members, kept verbatim.

    [[nodiscard]] bool isTriangles() const { return mode == 4; }
    [[nodiscard]] std::size_t triangleCount() const {
        return isTriangles() ? indices.size() / 3 : 0;
    }
    [[nodiscard]] std::size_t vertexCount() const;
    /// Null when the part has no such attribute.
    [[nodiscard]] const Stream* find(std::string_view semantic) const;
    /// Replaces the attribute, or adds it.
    void set(const char* semantic, Stream stream);
    /// True if bones or morph targets move its vertices.
    [[nodiscard]] bool isDeformable() const { return !targets.empty() || find("JOINTS_0"); }
};

/// Immutable once finished and shared between scenes.
struct Mesh {
    FLENTRO_DECLARE_VALUE(Mesh);

    std::string name;
    std::vector<Part> parts;
    Json rest;  ///< Members such as weights, extras, extensions, kept verbatim.

    // Derived by finishMesh().
    Box bounds;  ///< Of all positions in use; empty for a mesh without any.
    std::size_t triangles = 0;
    std::size_t vertices = 0;
    std::size_t bytes = 0;  ///< Streams and indices as stored (16-bit indices where they fit).
    Hash hash;              ///< Of the content without the name.
};

using MeshPtr = std::shared_ptr<const Mesh>;

/// Vertices of a triangle.
using Corners = std::array<std::uint32_t, 3>;

[[nodiscard]] inline Corners cornersOf(const Part& part, std::size_t triangle) {
    assert(triangle < part.triangleCount());
    const std::uint32_t* first = part.indices.data() + 3 * triangle;
    return {first[0], first[1], first[2]};
}

/// Calls visit(corners) for each triangle in order; nothing for points and lines.
template <typename Visit>
void forEachTriangle(const Part& part, Visit&& visit) {
    for (std::size_t t = 0; t < part.triangleCount(); ++t) visit(cornersOf(part, t));
}

/// [V] Of a part that must have positions.
[[nodiscard]] std::vector<Vec3f> positionsOf(const Part& part);

/// Area of all triangles, square metres at scale 1.
[[nodiscard]] double surfaceArea(const Part& part);
[[nodiscard]] double surfaceArea(const Mesh& mesh);

/// Fills in the derived members. Cost: O(V + T).
[[nodiscard]] MeshPtr finishMesh(Mesh mesh);

/// Bytes of one index of a part with `vertexCount` vertices: 2 below 65,535 vertices, else 4.
[[nodiscard]] inline std::size_t indexSize(std::size_t vertexCount) {
    return vertexCount < 65535 ? 2 : 4;
}

/// The part with only the vertices `kept`, in that order, and the given indices into them.
[[nodiscard]] Part selectVertices(const Part& part, const std::vector<std::uint32_t>& kept,
                                  std::vector<std::uint32_t> indices);

/// Drops vertices that no index uses; the rest keep their order.
[[nodiscard]] Part dropUnusedVertices(const Part& part);

/// "8v 12t" or "8v 12t + 4v 2t" for several parts; used by tests and logs.
[[nodiscard]] std::string describe(const Mesh& mesh);

}  // namespace flentro
