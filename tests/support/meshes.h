// Small meshes, built in the tests that use them, and the hard ones by name.

#pragma once

#include "scene/scene.h"

namespace flentro::test {

/// A part from positions and indices alone.
[[nodiscard]] Part makePart(std::vector<Vec3f> positions, std::vector<std::uint32_t> indices);
void addStream(Part& part, const char* semantic, Stream stream);

/// A level square of `size` metres in the xz plane with columns x rows cells, normals and
/// texture coordinates; `height` lifts the vertices.
[[nodiscard]] Mesh makeGrid(int columns, int rows, double size = 1,
                            double (*height)(double, double) = nullptr);

/// A unit sphere with a texture seam at heading 0 and poles of many wedges.
[[nodiscard]] Mesh makeSphere(int around, int along, double radius = 1);

/// Twelve triangles, 24 vertices: every edge is hard.
[[nodiscard]] Mesh makeBox(const Vec3f& size);

/// Two triangles that share one vertex only.
[[nodiscard]] Mesh makeBowtie();

/// A closed band with a half twist: one border, not orientable.
[[nodiscard]] Mesh makeMoebius(int segments);

/// Three triangles on one edge.
[[nodiscard]] Mesh makeFin();

/// A grid of 3 x 3 cells with a vertex of every triangle stored apart, a degenerate and a duplicate
/// face.
[[nodiscard]] Mesh makeUntidy();

[[nodiscard]] Mesh named(Mesh mesh, const char* name);

/// A scene of these assets, one object each, at these places.
struct Placed {
    Mesh mesh;
    Vec3d at;
    double scale = 1;
};
[[nodiscard]] Scene makeScene(std::vector<Placed> placed);

/// Sum of the areas of all triangles, square metres.
[[nodiscard]] double areaOf(const Mesh& mesh);

/// Edges that have one triangle, by position: "12 border, 0 non-manifold".
[[nodiscard]] std::string describeEdges(const Mesh& mesh);

}  // namespace flentro::test
