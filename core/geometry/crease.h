// Normals for meshes that come without any that say something.

#pragma once

#include <optional>

#include "geometry/mesh.h"

namespace flentro {

/// The crease angle that imports use unless told otherwise, degrees.
constexpr double kCreaseAngle = 40;

/// True without normals, or if every corner has that of its face (to two degrees): such normals
/// say no more than the faces do. False for parts without triangles.
[[nodiscard]] bool isFaceShaded(const Part& part);

/// Equal vertices welded, normals and tangents made anew: faces that meet at an edge under an
/// angle of no more than `degrees` are one smooth surface there, others keep a hard edge. Normals
/// are weighted by the angles of the corners (G. Thürmer and C. Wüthrich 1998). Places, not
/// vertices, decide what meets, so seams of texture coordinates stay smooth. Where the surface is
/// rough all over, as scans are, the angle between the surroundings decides.
///
/// Triangles keep their order. Other modes than triangles: the part itself.
/// Cost: O(T log T).
[[nodiscard]] Part smoothByCrease(const Part& part, double degrees);

/// The crease angle with which smoothByCrease() makes nearly the normals that the part has: then
/// they follow from its faces. Nothing for parts without normals, with tangents or morph targets,
/// or whose normals say more. Cost: up to that of smoothByCrease() for three angles.
[[nodiscard]] std::optional<double> creaseAngleOf(const Part& part);

/// The part without normals and tangents, equal vertices welded. Triangles keep their order.
[[nodiscard]] Part withoutNormals(const Part& part);

/// Equal vertices welded, and normals from those of corners [3T], of any length, which weigh by
/// it: corners of one place that meet at an edge become one vertex where theirs differ by no more
/// than `degrees`. Corners whose normal is zero take that of their face. Triangles keep their
/// order.
[[nodiscard]] Part smoothByCorners(const Part& part, std::vector<Vec3f> normals, double degrees);

/// Equal vertices welded, attributes as they are.
[[nodiscard]] Part weldEqualVertices(const Part& part);

}  // namespace flentro
