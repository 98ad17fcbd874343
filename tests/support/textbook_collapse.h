// The plain method that ours is measured against.

#pragma once

#include "geometry/mesh.h"

namespace flentro::test {

/// Edge collapse by quadric error as in the paper (M. Garland, P. Heckbert, SIGGRAPH 97): one
/// strict heap, optimal placement, borders held by planes at right angles, no flipped faces, the
/// link condition. Positions alone count: equal ones are welded, attributes are dropped. Slow.
[[nodiscard]] Mesh textbookCollapse(const Mesh& mesh, std::size_t triangles);

}  // namespace flentro::test
