// glTF documents put together by hand, sound and unsound, without our own writer.

#pragma once

#include "base/json.h"
#include "io/file.h"

namespace flentro::test {

/// Grows a document and its binary data; every member can be spoiled before writing.
class GltfBuilder {
public:
    GltfBuilder();

    Json document;
    Bytes data;

    int addView(const void* bytes, std::size_t size);
    int addFloats(const std::vector<float>& values, const char* type);
    int addShorts(const std::vector<std::uint16_t>& values, const char* type = "SCALAR");

    /// A mesh of one triangle (0,0,0) (1,0,0) (0,1,0) with the given indices.
    int addTriangle(const std::vector<std::uint16_t>& indices = {0, 1, 2});
    int addNode(Json node);

    [[nodiscard]] Bytes glb() const;
    /// Writes "name" (.glb, or .gltf with embedded data) into the folder.
    [[nodiscard]] std::filesystem::path write(const std::filesystem::path& folder,
                                              const std::string& name) const;
};

[[nodiscard]] std::string toBase64(const Bytes& data);

}  // namespace flentro::test
