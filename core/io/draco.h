// KHR_draco_mesh_compression.

#pragma once

#include <span>

#include "geometry/mesh.h"

namespace flentro {

/// An attribute to take from compressed data: its unique id there, and the layout to give it.
struct DracoAttribute {
    std::string semantic;
    int id = -1;
    Stream layout;
};

struct DracoMesh {
    std::vector<Attribute> attributes;
    std::vector<std::uint32_t> indices;
};

/// Errors: InvalidInput if the data cannot be decoded or lacks an attribute.
[[nodiscard]] Expected<DracoMesh> decodeDraco(std::span<const std::byte> data,
                                              const std::vector<DracoAttribute>& wanted);

}  // namespace flentro
