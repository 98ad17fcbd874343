#include "io/repair.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>

namespace flentro {
namespace {

constexpr float kUnitTolerance = 0.0005F;

bool isFiniteElement(const float* values, int components) {
    for (int c = 0; c < components; ++c)
        if (!std::isfinite(values[c])) return false;
    return true;
}

/// Calls `fix(values)` on each element of a float stream; copies the stream when one changes.
template <typename Fix>
SoundStream fixElements(const StreamPtr& stream, Fix&& fix) {
    SoundStream result{stream, {}, 0};
    std::shared_ptr<Stream> changed;
    std::array<float, 16> values{};
    const std::size_t size = stream->elementSize();
    const std::size_t count = stream->count();
    for (std::size_t i = 0; i < count; ++i) {
        std::memcpy(values.data(), stream->data.data() + i * size, size);
        if (!fix(i, values.data())) continue;
        if (!changed) changed = std::make_shared<Stream>(*stream);
        std::memcpy(changed->data.data() + i * size, values.data(), size);
        ++result.repaired;
    }
    if (changed) result.stream = std::move(changed);
    return result;
}

bool zeroUnlessFinite(float* values, int components) {
    if (isFiniteElement(values, components)) return false;
    std::fill(values, values + components, 0.0F);
    return true;
}

bool makeUnit(float* v) {
    const float squared = v[0] * v[0] + v[1] * v[1] + v[2] * v[2];
    if (std::fabs(squared - 1) <= 2 * kUnitTolerance) return false;  // |v| within the tolerance
    const float length = std::sqrt(squared);
    if (!std::isfinite(length) || length < 1e-12F) {
        v[0] = v[2] = 0;
        v[1] = 1;
        return true;
    }
    for (int c = 0; c < 3; ++c) v[c] /= length;
    return true;
}

bool makeTangent(float* v) {
    const bool turned = makeUnit(v);
    if (v[3] == 1 || v[3] == -1) return turned;
    v[3] = v[3] < 0 ? -1.0F : 1.0F;
    return true;
}

bool makeWeights(float* v) {
    float sum = 0;
    bool changed = false;
    for (int c = 0; c < 4; ++c) {
        const bool sound = std::isfinite(v[c]) && v[c] >= 0;
        changed = changed || !sound;
        v[c] = sound ? v[c] : 0;
        sum += v[c];
    }
    if (std::fabs(sum - 1) < 1e-4F) return changed;
    if (sum <= 0) v[0] = sum = 1;
    for (int c = 0; c < 4; ++c) v[c] /= sum;
    return true;
}

SoundStream makePositionsSound(const StreamPtr& stream) {
    std::vector<bool> unusable;
    auto result = fixElements(stream, [&](std::size_t i, float* v) {
        if (!zeroUnlessFinite(v, stream->components)) return false;
        unusable.resize(stream->count());
        unusable[i] = true;
        return true;
    });
    result.unusable = std::move(unusable);
    return result;
}

/// Most streams are sound: a look without branches, several values at once, before the repair.
bool isAllFinite(const Stream& stream) {
    const std::size_t count = stream.data.size() / sizeof(float);
    constexpr std::uint32_t kExponent = 0x7F800000U;
    std::uint32_t unsound = 0;
    for (std::size_t i = 0; i < count; ++i) {
        std::uint32_t bits = 0;
        std::memcpy(&bits, stream.data.data() + i * sizeof bits, sizeof bits);
        unsound |= static_cast<std::uint32_t>((bits & kExponent) == kExponent);
    }
    return unsound == 0;
}

bool areAllUsable(const Part& part, std::size_t vertices) {
    std::uint32_t largest = 0;
    for (const std::uint32_t index : part.indices) largest = std::max(largest, index);
    return largest < vertices;
}

std::size_t indicesPerPrimitive(int mode) {
    return mode == 4 ? 3 : mode == 0 ? 1 : 2;
}

}  // namespace

SoundStream makeSound(const StreamPtr& stream, const std::string& semantic) {
    if (stream->type != ComponentType::Float32) return {stream, {}, 0};
    const bool unit = semantic == "NORMAL" || semantic == "TANGENT" || semantic == "WEIGHTS_0";
    if (!unit && isAllFinite(*stream)) return {stream, {}, 0};
    if (semantic == "POSITION") return makePositionsSound(stream);
    if (semantic == "NORMAL" && stream->components == 3)
        return fixElements(stream, [](std::size_t, float* v) { return makeUnit(v); });
    if (semantic == "TANGENT" && stream->components == 4)
        return fixElements(stream, [](std::size_t, float* v) { return makeTangent(v); });
    if (semantic == "WEIGHTS_0" && stream->components == 4)
        return fixElements(stream, [](std::size_t, float* v) { return makeWeights(v); });
    return fixElements(
        stream, [&](std::size_t, float* v) { return zeroUnlessFinite(v, stream->components); });
}

Dropped dropUnusable(Part& part, const std::vector<bool>& unusable) {
    const std::size_t vertices = part.vertexCount();
    const std::size_t step = indicesPerPrimitive(part.mode);
    const bool whole = part.indices.size() % step == 0;
    if (whole && unusable.empty() && areAllUsable(part, vertices)) return {};
    std::size_t kept = 0;
    Dropped dropped{0, 0, !whole};
    for (std::size_t i = 0; i + step <= part.indices.size(); i += step) {
        bool inRange = true;
        bool finite = true;
        for (std::size_t c = 0; c < step; ++c) {
            const std::uint32_t index = part.indices[i + c];
            inRange = inRange && index < vertices;
            finite = finite && (index >= vertices || unusable.empty() || !unusable[index]);
        }
        if (!inRange || !finite) {
            ++(inRange ? dropped.notFinite : dropped.outOfRange);
            continue;
        }
        for (std::size_t c = 0; c < step; ++c) part.indices[kept + c] = part.indices[i + c];
        kept += step;
    }
    part.indices.resize(kept);
    return dropped;
}

}  // namespace flentro
