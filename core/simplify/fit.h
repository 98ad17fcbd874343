// Vertices of a reduced surface moved to where it lies nearest to its original.
//
// H. Hoppe, T. DeRose, T. Duchamp, J. McDonald, W. Stuetzle, "Mesh Optimization", SIGGRAPH 93,
// section 4.1: triangles stay, samples of either surface are paired with the nearest point of the
// other, and the vertices solve the least squares of their distances. Quadrics place a vertex by
// the planes around it; what lies between vertices only such samples tell.

#pragma once

#include <span>

#include "base/error.h"
#include "base/progress.h"
#include "simplify/deviation.h"

namespace flentro {

/// `reduced` with its vertices moved, or as it is where that lies no nearer in the mean or farther
/// at the most than `maxDeviation` metres (infinite: than before). Vertices of open borders and of
/// non-manifold edges stay where they are, as do those that lie at a position of `held`; no face
/// turns; vertices at one position stay together. Normals, texture coordinates and colours become
/// those of the places where vertices go, other attributes stay. Meshes that bones or morph targets
/// move, or with more than 250,000 vertices left, come back as they are.
///
/// Errors: Cancelled. Cost: O(V log T) for V vertices left and T triangles of the original.
/// Reentrant; the same for any number of threads.
[[nodiscard]] Expected<MeshPtr> fitVertices(const Surface& original, const MeshPtr& reduced,
                                            std::span<const Vec3f> held, double maxDeviation,
                                            const Progress& progress);

}  // namespace flentro
