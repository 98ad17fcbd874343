#include "io/gltf_accessors.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>

#include "base/index.h"
#include "base/parallel.h"
#include "io/meshopt.h"

namespace flentro {
namespace {

int componentsOf(const std::string& type) {
    if (type == "SCALAR") return 1;
    if (type == "VEC2") return 2;
    if (type == "VEC3") return 3;
    if (type == "VEC4" || type == "MAT2") return 4;
    if (type == "MAT3") return 9;
    if (type == "MAT4") return 16;
    return 0;
}

bool isComponentType(int type) {
    return type >= 5120 && type <= 5126 && type != 5124;
}

/// Members that count bytes or elements; anything but a sane whole number is refused.
std::optional<std::size_t> countOf(const Json& object, const char* key, std::size_t fallback) {
    if (!object.is_object() || !object.contains(key)) return fallback;
    const Json& value = object[key];
    if (!value.is_number_integer() && !value.is_number_unsigned()) return std::nullopt;
    const auto number = value.get<std::int64_t>();
    constexpr std::int64_t kLargest = std::int64_t{1} << 40;
    if (number < 0 || number > kLargest) return std::nullopt;
    return static_cast<std::size_t>(number);
}

constexpr const char* kMeshopt = "EXT_meshopt_compression";

/// The extension's object in a buffer or buffer view, or null.
const Json* findMeshopt(const Json& object) {
    const Json& extensions = jsonObject(object, "extensions");
    const auto at = extensions.find(kMeshopt);
    return at == extensions.end() ? nullptr : &*at;
}

/// A buffer that is only there for programs that cannot decompress.
bool isFallback(const Json& buffer) {
    const Json* meshopt = findMeshopt(buffer);
    return meshopt && jsonOr(*meshopt, "fallback", false);
}

/// What the extension's members say. Errors: InvalidInput for a mode, filter or count that is
/// none.
Expected<MeshoptView> meshoptView(const Json& source) {
    static const std::map<std::string, MeshoptMode> modes = {
        {"ATTRIBUTES", MeshoptMode::Attributes},
        {"TRIANGLES", MeshoptMode::Triangles},
        {"INDICES", MeshoptMode::Indices}};
    static const std::map<std::string, MeshoptFilter> filters = {
        {"NONE", MeshoptFilter::None},
        {"OCTAHEDRAL", MeshoptFilter::Octahedral},
        {"QUATERNION", MeshoptFilter::Quaternion},
        {"EXPONENTIAL", MeshoptFilter::Exponential}};
    const auto mode = modes.find(jsonOr<std::string>(source, "mode", ""));
    const auto filter = filters.find(jsonOr<std::string>(source, "filter", "NONE"));
    const auto count = countOf(source, "count", 0);
    const auto stride = countOf(source, "byteStride", 0);
    if (mode == modes.end() || filter == filters.end() || !count || !stride || *stride > 256)
        return fail(ErrorCode::InvalidInput, fmt::format("has a wrong {}", kMeshopt));
    return MeshoptView{mode->second, filter->second, *count, *stride};
}

std::uint32_t readIndex(const std::byte* at, int componentType) {
    std::uint32_t value = 0;
    std::memcpy(&value, at, componentSize(static_cast<ComponentType>(componentType)));
    return value;
}

}  // namespace

std::string objectName(const char* kind, std::size_t index, const Json& object) {
    const std::string name = jsonOr<std::string>(object, "name", "");
    return name.empty() ? fmt::format("{} {}", kind, index)
                        : fmt::format("{} {} '{}'", kind, index, name);
}

Expected<Bytes> GltfAccessors::readBuffer(std::size_t index, const Json& buffer) {
    const std::string uri = jsonOr<std::string>(buffer, "uri", "");
    const auto named = [&](Error error) {
        error.where = objectName("buffer", index, buffer) +
                      (error.where.empty() ? "" : " (" + error.where + ")");
        return tl::unexpected(std::move(error));
    };
    if (isDataUri(uri))
        return decodeDataUri(uri).or_else(
            [&](Error error) -> Expected<Bytes> { return named(std::move(error)); });
    auto path = resolveInside(folder_, uri);
    if (!path) return named(path.error());
    files_.push_back(*path);
    if (auto fits = memory_.takeFile(*path, path->string()); !fits) return named(fits.error());
    auto data = readFile(*path);
    if (!data) return named(data.error());
    return data;
}

Expected<void> GltfAccessors::loadBuffers() {
    const Json& buffers = jsonArray(document_, "buffers");
    owned_.resize(buffers.size());
    for (std::size_t i = 0; i < buffers.size(); ++i) {
        std::span<const std::byte> bytes = binary_;
        if (isFallback(buffers[i])) {
            buffers_.emplace_back();
            continue;
        }
        if (buffers[i].is_object() && buffers[i].contains("uri")) {
            auto data = readBuffer(i, buffers[i]);
            if (!data) return tl::unexpected(data.error());
            owned_[i] = std::move(*data);
            bytes = owned_[i];
        } else if (i != 0) {
            bytes = {};
        }
        const auto length = countOf(buffers[i], "byteLength", 0);
        if (!length || *length > bytes.size())
            return fail(ErrorCode::InvalidInput,
                        fmt::format("is truncated: {} bytes are announced, {} are there",
                                    length.value_or(0), bytes.size()),
                        objectName("buffer", i, buffers[i]));
        buffers_.push_back(bytes.first(*length));
    }
    streams_.resize(jsonArray(document_, "accessors").size());
    return decompress();
}

Expected<void> GltfAccessors::decompress() {
    const Json& views = jsonArray(document_, "bufferViews");
    for (std::size_t i = 0; i < views.size(); ++i) {
        const Json* source = findMeshopt(views[i]);
        if (!source) continue;
        const std::string where = fmt::format("buffer view {}", i);
        const auto named = [&](Error error) {
            error.where = where;
            return tl::unexpected(std::move(error));
        };
        auto view = meshoptView(*source);
        if (!view) return named(view.error());
        auto bytes = slicePart(*source);
        if (!bytes) return named(bytes.error());
        if (auto fits = memory_.take(view->count * view->stride, where); !fits)
            return tl::unexpected(fits.error());
        auto decoded = decodeMeshopt(*bytes, *view);
        if (!decoded) return named(decoded.error());
        decompressed_.emplace(static_cast<int>(i), std::move(*decoded));
    }
    return {};
}

Expected<std::span<const std::byte>> GltfAccessors::bufferView(int index) const {
    const Json& views = jsonArray(document_, "bufferViews");
    const std::string where = fmt::format("buffer view {}", index);
    if (index < 0 || static_cast<std::size_t>(index) >= views.size())
        return fail(ErrorCode::InvalidInput, "does not exist", where);
    if (const auto known = decompressed_.find(index); known != decompressed_.end())
        return std::span<const std::byte>(known->second);
    auto bytes = slicePart(elementOf(views, index));
    if (!bytes) bytes.error().where = where;
    return bytes;
}

Expected<std::span<const std::byte>> GltfAccessors::slicePart(const Json& view) const {
    const int buffer = jsonOr(view, "buffer", -1);
    const auto offset = countOf(view, "byteOffset", 0);
    const auto length = countOf(view, "byteLength", 0);
    if (buffer < 0 || static_cast<std::size_t>(buffer) >= buffers_.size())
        return fail(ErrorCode::InvalidInput, "names a buffer that does not exist");
    const auto& bytes = elementOf(buffers_, buffer);
    if (!offset || !length || *offset > bytes.size() || *length > bytes.size() - *offset)
        return fail(ErrorCode::InvalidInput, "reaches beyond the end of its buffer");
    return bytes.subspan(*offset, *length);
}

Expected<GltfAccessors::Slice> GltfAccessors::slice(const Json& source, std::size_t count,
                                                    std::size_t elementSize) const {
    const int viewIndex = jsonOr(source, "bufferView", -1);
    auto bytes = bufferView(viewIndex);
    if (!bytes) return tl::unexpected(bytes.error());
    const Json& view = jsonArray(document_, "bufferViews")[static_cast<std::size_t>(viewIndex)];
    const Json* compressed = findMeshopt(view);
    const auto stride = countOf(compressed ? *compressed : view, "byteStride", elementSize);
    const auto offset = countOf(source, "byteOffset", 0);
    if (!stride || !offset || *stride > 252 + elementSize || *stride < elementSize ||
        *offset > bytes->size())
        return fail(ErrorCode::InvalidInput, "has a wrong offset or stride");
    const std::size_t available = bytes->size() - *offset;
    if (count > 0 && (available < elementSize || (available - elementSize) / *stride < count - 1))
        return fail(ErrorCode::InvalidInput, "reaches beyond the end of its buffer view");
    return Slice{bytes->subspan(*offset), *stride};
}

Expected<Stream> GltfAccessors::layout(int index) const {
    const Json& accessors = jsonArray(document_, "accessors");
    const std::string where = fmt::format("accessor {}", index);
    if (index < 0 || static_cast<std::size_t>(index) >= accessors.size())
        return fail(ErrorCode::InvalidInput, "does not exist", where);
    const Json& accessor = elementOf(accessors, index);
    const int type = jsonOr(accessor, "componentType", 0);
    const std::string shape = jsonOr<std::string>(accessor, "type", "");
    Stream stream;
    stream.components = componentsOf(shape);
    stream.matrix = shape.starts_with("MAT");
    stream.normalized = jsonOr(accessor, "normalized", false);
    if (stream.components == 0 || !isComponentType(type) || (stream.matrix && type != 5126))
        return fail(ErrorCode::InvalidInput, "has an unknown type", where);
    stream.type = static_cast<ComponentType>(type);
    return stream;
}

Expected<Stream> GltfAccessors::decodeOne(int index) const {
    auto result = layout(index);
    if (!result) return result;
    Stream& stream = *result;
    const Json& accessor = jsonArray(document_, "accessors")[static_cast<std::size_t>(index)];
    const std::string where = fmt::format("accessor {}", index);
    const auto count = countOf(accessor, "count", 0);
    if (!count) return fail(ErrorCode::InvalidInput, "has a wrong count", where);
    const std::size_t size = stream.elementSize();
    if (auto fits = memory_.take(*count * size, where); !fits) return tl::unexpected(fits.error());
    if (accessor.contains("bufferView")) {
        auto source = slice(accessor, *count, size);
        if (!source) {
            source.error().where = where;
            return tl::unexpected(source.error());
        }
        const auto first = source->bytes.begin();
        if (source->stride == size)
            stream.data.assign(first, first + static_cast<std::ptrdiff_t>(*count * size));
        else
            stream.data.resize(*count * size);
        if (source->stride != size)
            for (std::size_t i = 0; i < *count; ++i)
                std::memcpy(stream.data.data() + i * size, &source->bytes[i * source->stride],
                            size);
    } else {
        stream.data.resize(*count * size);
    }
    if (auto done = applySparse(jsonObject(accessor, "sparse"), stream); !done) {
        done.error().where = where;
        return tl::unexpected(done.error());
    }
    return result;
}

Expected<void> GltfAccessors::applySparse(const Json& sparse, Stream& stream) const {
    if (sparse.empty()) return {};
    const auto count = countOf(sparse, "count", 0);
    const int type = jsonOr(jsonObject(sparse, "indices"), "componentType", 0);
    if (!count || *count > stream.count() || (type != 5121 && type != 5123 && type != 5125))
        return fail(ErrorCode::InvalidInput, "has wrong sparse values");
    const std::size_t indexBytes = componentSize(static_cast<ComponentType>(type));
    auto indices = slice(jsonObject(sparse, "indices"), *count, indexBytes);
    auto values = slice(jsonObject(sparse, "values"), *count, stream.elementSize());
    if (!indices) return tl::unexpected(indices.error());
    if (!values) return tl::unexpected(values.error());
    const std::size_t size = stream.elementSize();
    for (std::size_t i = 0; i < *count; ++i) {
        const std::uint32_t at = readIndex(&indices->bytes[i * indices->stride], type);
        if (at >= stream.count())
            return fail(ErrorCode::InvalidInput, "has a sparse index out of range");
        std::memcpy(stream.data.data() + at * size, &values->bytes[i * values->stride], size);
    }
    return {};
}

Expected<StreamPtr> GltfAccessors::stream(int index) {
    if (index >= 0 && static_cast<std::size_t>(index) < streams_.size()) {
        const StreamPtr& known = elementOf(streams_, index);
        if (known) return known;
    }
    auto decoded = decodeOne(index);
    if (!decoded) return tl::unexpected(decoded.error());
    auto shared = std::make_shared<const Stream>(std::move(*decoded));
    elementOf(streams_, index) = shared;
    return shared;
}

Expected<void> GltfAccessors::decode(const std::vector<int>& indices, Progress& progress) {
    std::vector<int> wanted = indices;
    std::sort(wanted.begin(), wanted.end());
    wanted.erase(std::unique(wanted.begin(), wanted.end()), wanted.end());
    std::vector<std::optional<Error>> errors(wanted.size());
    const bool finished =
        parallelFor(wanted.size(), "Reading geometry", progress, [&](std::size_t i) {
            auto decoded = decodeOne(wanted[i]);
            if (decoded)
                elementOf(streams_, wanted[i]) =
                    std::make_shared<const Stream>(std::move(*decoded));
            else
                errors[i] = decoded.error();
        });
    if (!finished) return stopped("Reading");
    for (const auto& error : errors)
        if (error) return tl::unexpected(*error);
    return {};
}

}  // namespace flentro
