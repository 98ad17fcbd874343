// Typed vertex data, kept in the component type in which it was stored, so that a round trip
// changes no bit and memory is counted as it is.

#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <vector>

#include "base/hash.h"
#include "geometry/space.h"

namespace flentro {

/// Values are those of glTF 2.0, section 3.6.2.2.
enum class ComponentType : std::uint16_t {
    Int8 = 5120,
    UInt8 = 5121,
    Int16 = 5122,
    UInt16 = 5123,
    UInt32 = 5125,
    Float32 = 5126,
};

[[nodiscard]] std::size_t componentSize(ComponentType type);

/// [count] elements of `components` values each, tightly packed.
struct Stream {
    ComponentType type = ComponentType::Float32;
    int components = 3;       ///< 1 to 4, or 4, 9, 16 for matrices.
    bool normalized = false;  ///< Integers stand for [0, 1] or [-1, 1].
    bool matrix = false;      ///< Tells MAT2 from VEC4.
    std::vector<std::byte> data;

    [[nodiscard]] std::size_t elementSize() const {
        return componentSize(type) * static_cast<std::size_t>(components);
    }
    [[nodiscard]] std::size_t count() const { return data.size() / elementSize(); }

    /// One component as a number, with normalisation applied (KHR_mesh_quantization).
    [[nodiscard]] float value(std::size_t element, int component) const;
    void set(std::size_t element, int component, float value);

    [[nodiscard]] Hash hash() const;
};

using StreamPtr = std::shared_ptr<const Stream>;

/// First three components of each element; missing ones are zero.
[[nodiscard]] std::vector<Vec3f> toVectors(const Stream& stream);

[[nodiscard]] Stream makeStream(const std::vector<Vec3f>& values);
[[nodiscard]] Stream makeStream(const std::vector<Vec2f>& values);

/// The elements `kept`, in that order.
[[nodiscard]] Stream gather(const Stream& stream, const std::vector<std::uint32_t>& kept);

}  // namespace flentro
