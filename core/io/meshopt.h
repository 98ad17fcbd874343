// Decoding of EXT_meshopt_compression (Khronos, vendor extensions of glTF 2.0).

#pragma once

#include <span>

#include "base/error.h"
#include "io/file.h"

namespace flentro {

enum class MeshoptMode { Attributes, Triangles, Indices };
enum class MeshoptFilter { None, Octahedral, Quaternion, Exponential };

/// One compressed buffer view.
struct MeshoptView {
    MeshoptMode mode = MeshoptMode::Attributes;
    MeshoptFilter filter = MeshoptFilter::None;
    std::size_t count = 0;   ///< Elements.
    std::size_t stride = 0;  ///< Bytes of an element.
};

/// Count times stride bytes. Appendix A of the extension gives the streams, appendix B the
/// filters. Cost: O(count * stride).
/// Errors: InvalidInput for data that is cut off, has bytes left over, or whose count or stride
/// its mode does not allow; Unsupported for other versions of the streams.
[[nodiscard]] Expected<Bytes> decodeMeshopt(std::span<const std::byte> data,
                                            const MeshoptView& view);

}  // namespace flentro
