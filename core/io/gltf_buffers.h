// The binary side of a glTF document under construction.

#pragma once

#include <unordered_map>

#include "base/json.h"
#include "geometry/mesh.h"
#include "io/file.h"

namespace flentro {

/// Collects streams, indices and images into one buffer; equal content is stored once.
class GltfBuffers {
public:
    enum class Use { Vertex, Animation, Matrices };

    /// Index of an accessor for the stream. `bounds`: write min and max, as glTF asks of
    /// positions and key times. Where the stream is the beginning of `longer`, which was added
    /// before, it shares its bytes.
    int addStream(const Stream& stream, Use use, bool bounds, const Stream* longer = nullptr);

    /// 16-bit indices where `vertexCount` allows (glTF 2.0, 3.7.2.1: no index 65,535).
    int addIndices(const std::vector<std::uint32_t>& indices, std::size_t vertexCount);

    /// Index of a buffer view for an encoded image.
    int addImage(const Hash& hash, std::span<const std::byte> data);

    [[nodiscard]] Bytes takeData() { return std::move(data_); }
    [[nodiscard]] const Bytes& data() const { return data_; }
    [[nodiscard]] Json& accessors() { return accessors_; }
    [[nodiscard]] Json& views() { return views_; }

private:
    int addView(std::span<const std::byte> data, int target, std::size_t stride);
    int addAccessor(Json accessor, const Hash& key);
    int viewFor(const Stream& stream, Use use, const Stream* longer);

    Bytes data_;
    Json accessors_ = Json::array();
    Json views_ = Json::array();
    std::unordered_map<Hash, int> known_;
};

}  // namespace flentro
