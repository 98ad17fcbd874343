#include "io/gltf_buffers.h"

#include <algorithm>
#include <cstring>

namespace flentro {
namespace {

constexpr int kArrayBuffer = 34962;
constexpr int kElementArrayBuffer = 34963;

const char* shapeOf(const Stream& stream) {
    if (stream.matrix)
        return stream.components == 16 ? "MAT4" : stream.components == 9 ? "MAT3" : "MAT2";
    static constexpr const char* kShapes[] = {"", "SCALAR", "VEC2", "VEC3", "VEC4"};
    return kShapes[stream.components];
}

/// Stored values, without normalisation, as glTF wants min and max.
void addBounds(const Stream& stream, Json& accessor) {
    Stream raw = stream;
    raw.normalized = false;
    for (int c = 0; c < raw.components; ++c) {
        float low = raw.count() > 0 ? raw.value(0, c) : 0;
        float high = low;
        for (std::size_t i = 1; i < raw.count(); ++i) {
            low = std::min(low, raw.value(i, c));
            high = std::max(high, raw.value(i, c));
        }
        accessor["min"].push_back(low);
        accessor["max"].push_back(high);
    }
}

/// Elements padded to a multiple of four bytes (glTF 2.0, 3.6.2.4).
Bytes padElements(const Stream& stream, std::size_t stride) {
    const std::size_t size = stream.elementSize();
    Bytes padded(stream.count() * stride);
    for (std::size_t i = 0; i < stream.count(); ++i)
        std::memcpy(padded.data() + i * stride, stream.data.data() + i * size, size);
    return padded;
}

bool beginsWith(const Stream& longer, const Stream& stream) {
    return longer.type == stream.type && longer.components == stream.components &&
           longer.data.size() >= stream.data.size() &&
           std::equal(stream.data.begin(), stream.data.end(), longer.data.begin());
}

}  // namespace

int GltfBuffers::addView(std::span<const std::byte> data, int target, std::size_t stride) {
    data_.resize((data_.size() + 3) / 4 * 4);
    Json view = {{"buffer", 0}, {"byteOffset", data_.size()}, {"byteLength", data.size()}};
    if (target != 0) view["target"] = target;
    if (stride != 0) view["byteStride"] = stride;
    data_.insert(data_.end(), data.begin(), data.end());
    views_.push_back(std::move(view));
    return static_cast<int>(views_.size()) - 1;
}

int GltfBuffers::addAccessor(Json accessor, const Hash& key) {
    accessors_.push_back(std::move(accessor));
    return known_[key] = static_cast<int>(accessors_.size()) - 1;
}

int GltfBuffers::viewFor(const Stream& stream, Use use, const Stream* longer) {
    const Hash key = Hasher().add(stream.hash()).add(use).text("view").result();
    if (const auto known = known_.find(key); known != known_.end()) return known->second;
    if (longer && beginsWith(*longer, stream)) return viewFor(*longer, use, nullptr);
    const std::size_t size = stream.elementSize();
    if (use != Use::Vertex) return known_[key] = addView(stream.data, 0, 0);
    const std::size_t stride = (size + 3) / 4 * 4;
    return known_[key] = stride == size
                             ? addView(stream.data, kArrayBuffer, stride)
                             : addView(padElements(stream, stride), kArrayBuffer, stride);
}

int GltfBuffers::addStream(const Stream& stream, Use use, bool bounds, const Stream* longer) {
    const Hash key = Hasher().add(stream.hash()).add(use).add(bounds).result();
    if (const auto known = known_.find(key); known != known_.end()) return known->second;
    Json accessor = {{"componentType", static_cast<int>(stream.type)},
                     {"count", stream.count()},
                     {"type", shapeOf(stream)},
                     {"bufferView", viewFor(stream, use, longer)}};
    if (stream.normalized) accessor["normalized"] = true;
    if (bounds) addBounds(stream, accessor);
    return addAccessor(std::move(accessor), key);
}

int GltfBuffers::addIndices(const std::vector<std::uint32_t>& indices, std::size_t vertexCount) {
    const auto bytes = std::as_bytes(std::span(indices));
    const bool narrow = indexSize(vertexCount) == 2;
    const Hash key = Hasher().bytes(bytes).add(narrow).add(kElementArrayBuffer).result();
    if (const auto known = known_.find(key); known != known_.end()) return known->second;
    const ComponentType type = narrow ? ComponentType::UInt16 : ComponentType::UInt32;
    Json accessor = {
        {"componentType", static_cast<int>(type)}, {"count", indices.size()}, {"type", "SCALAR"}};
    const std::vector<std::uint16_t> narrowed =
        narrow ? std::vector<std::uint16_t>(indices.begin(), indices.end())
               : std::vector<std::uint16_t>();
    accessor["bufferView"] =
        addView(narrow ? std::as_bytes(std::span(narrowed)) : bytes, kElementArrayBuffer, 0);
    return addAccessor(std::move(accessor), key);
}

int GltfBuffers::addImage(const Hash& hash, std::span<const std::byte> data) {
    const Hash key = Hasher().add(hash).text("image").result();
    if (const auto known = known_.find(key); known != known_.end()) return known->second;
    return known_[key] = addView(data, 0, 0);
}

}  // namespace flentro
