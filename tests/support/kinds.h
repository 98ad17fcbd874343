// Surfaces of the kinds that people have, for comparing methods.

#pragma once

#include <string>
#include <vector>

#include "geometry/mesh.h"

namespace flentro::test {

struct SurfaceKind {
    std::string name;
    Mesh mesh;  ///< With smooth normals by a crease angle; the scan as an unwelded file has it.
};

/// Of each kind one of about `triangles`: a noisy scan with holes, a folded isosurface of high
/// genus, terrain, thin double sheets, made parts with fillets and holes, a town of flat blocks,
/// loose specks around a body. The same every time.
[[nodiscard]] std::vector<SurfaceKind> surfaceKinds(std::size_t triangles);

}  // namespace flentro::test
