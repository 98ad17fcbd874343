#include "geometry/stream.h"

#include <algorithm>
#include <cassert>
#include <cmath>
#include <cstring>
#include <span>

namespace flentro {
namespace {

template <typename T>
T load(const std::byte* from) {
    T value;
    std::memcpy(&value, from, sizeof value);
    return value;
}

template <typename T>
float fromInteger(const std::byte* from, bool normalized) {
    const auto value = static_cast<float>(load<T>(from));
    if (!normalized) return value;
    return std::max(value / static_cast<float>(std::numeric_limits<T>::max()), -1.0F);
}

template <typename T>
void store(std::byte* to, float value, bool normalized) {
    const float scale = normalized ? static_cast<float>(std::numeric_limits<T>::max()) : 1.0F;
    const double limited = std::clamp<double>(std::round(value * scale),
                                              static_cast<double>(std::numeric_limits<T>::lowest()),
                                              static_cast<double>(std::numeric_limits<T>::max()));
    const T result = static_cast<T>(limited);
    std::memcpy(to, &result, sizeof result);
}

template <typename V>
Stream fromVectors(const std::vector<V>& values) {
    Stream stream;
    stream.components = V::RowsAtCompileTime;
    const auto bytes = std::as_bytes(std::span(values));
    stream.data.assign(bytes.begin(), bytes.end());
    return stream;
}

}  // namespace

std::size_t componentSize(ComponentType type) {
    switch (type) {
        case ComponentType::Int8:
        case ComponentType::UInt8:
            return 1;
        case ComponentType::Int16:
        case ComponentType::UInt16:
            return 2;
        default:
            return 4;
    }
}

float Stream::value(std::size_t element, int component) const {
    const std::byte* at = data.data() + element * elementSize() +
                          static_cast<std::size_t>(component) * componentSize(type);
    switch (type) {
        case ComponentType::Int8:
            return fromInteger<std::int8_t>(at, normalized);
        case ComponentType::UInt8:
            return fromInteger<std::uint8_t>(at, normalized);
        case ComponentType::Int16:
            return fromInteger<std::int16_t>(at, normalized);
        case ComponentType::UInt16:
            return fromInteger<std::uint16_t>(at, normalized);
        case ComponentType::UInt32:
            return static_cast<float>(load<std::uint32_t>(at));
        case ComponentType::Float32:
            break;
    }
    return load<float>(at);
}

void Stream::set(std::size_t element, int component, float value) {
    std::byte* at = data.data() + element * elementSize() +
                    static_cast<std::size_t>(component) * componentSize(type);
    switch (type) {
        case ComponentType::Int8:
            return store<std::int8_t>(at, value, normalized);
        case ComponentType::UInt8:
            return store<std::uint8_t>(at, value, normalized);
        case ComponentType::Int16:
            return store<std::int16_t>(at, value, normalized);
        case ComponentType::UInt16:
            return store<std::uint16_t>(at, value, normalized);
        case ComponentType::UInt32:
            return store<std::uint32_t>(at, value, false);
        case ComponentType::Float32:
            std::memcpy(at, &value, sizeof value);
    }
}

Hash Stream::hash() const {
    return Hasher().add(type).add(components).add(normalized).add(matrix).bytes(data).result();
}

std::vector<Vec3f> toVectors(const Stream& stream) {
    std::vector<Vec3f> result(stream.count(), Vec3f::Zero());
    if (stream.type == ComponentType::Float32 && stream.components == 3) {
        if (!result.empty())
            std::memcpy(result.front().data(), stream.data.data(), stream.data.size());
        return result;
    }
    const int used = std::min(stream.components, 3);
    for (std::size_t i = 0; i < result.size(); ++i)
        for (int c = 0; c < used; ++c) result[i][c] = stream.value(i, c);
    return result;
}

Stream makeStream(const std::vector<Vec3f>& values) {
    return fromVectors(values);
}
Stream makeStream(const std::vector<Vec2f>& values) {
    return fromVectors(values);
}

Stream gather(const Stream& stream, const std::vector<std::uint32_t>& kept) {
    assert(std::ranges::all_of(kept, [&](std::uint32_t i) { return i < stream.count(); }));
    Stream result{stream.type, stream.components, stream.normalized, stream.matrix, {}};
    const std::size_t size = stream.elementSize();
    result.data.resize(kept.size() * size);
    for (std::size_t i = 0; i < kept.size(); ++i)
        std::memcpy(result.data.data() + i * size, stream.data.data() + kept[i] * size, size);
    return result;
}

}  // namespace flentro
