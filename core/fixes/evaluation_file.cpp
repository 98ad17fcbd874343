// A plain binary image of the steps: one function for each struct names its members, for writing
// and for reading alike. The file ends with its own hash, so that only whole ones are taken.

#include "fixes/evaluation_file.h"

#include <cstring>
#include <map>
#include <optional>
#include <type_traits>

#include "io/seal.h"

namespace flentro {
namespace {

constexpr std::uint32_t kVersion = 6;
constexpr std::string_view kFormat = "flentro-steps";

/// Thrown at the end of the data; caught in loadEvaluation().
struct Damaged {};

template <typename T>
concept Plain = std::is_arithmetic_v<T> || std::is_enum_v<T>;

class Writer {
public:
    static constexpr bool kReads = false;
    Bytes out;

    void raw(const void* data, std::size_t size) {
        const auto* bytes = static_cast<const std::byte*>(data);
        out.insert(out.end(), bytes, bytes + size);
    }
    std::size_t count(std::size_t size) {
        raw(&size, sizeof size);
        return size;
    }
    /// The number of a shared thing; new ones are written after it.
    template <typename T>
    void shared(std::shared_ptr<const T>& pointer) {
        std::size_t number = 0;
        if (!pointer) return raw(&number, sizeof number);
        const auto [at, isNew] = numbers_.try_emplace(pointer.get(), numbers_.size() + 1);
        number = at->second;
        raw(&number, sizeof number);
        if (isNew) field(*this, const_cast<T&>(*pointer));
    }

private:
    std::map<const void*, std::size_t> numbers_;
};

class Reader {
public:
    static constexpr bool kReads = true;
    explicit Reader(std::span<const std::byte> data) : left_(data) {}

    void raw(void* data, std::size_t size) {
        if (size > left_.size()) throw Damaged{};
        if (size > 0) std::memcpy(data, left_.data(), size);
        left_ = left_.subspan(size);
    }
    std::size_t count(std::size_t) {
        std::size_t size = 0;
        raw(&size, sizeof size);
        if (size > left_.size()) throw Damaged{};
        return size;
    }
    template <typename T>
    void shared(std::shared_ptr<const T>& pointer) {
        std::size_t number = 0;
        raw(&number, sizeof number);
        if (number == 0) return pointer.reset();
        if (number <= known_.size()) {
            pointer = std::static_pointer_cast<const T>(known_[number - 1]);
            return;
        }
        // Inner things are numbered after this one, as they were written.
        auto made = std::make_shared<T>();
        known_.push_back(made);
        field(*this, *made);
        pointer = made;
    }

private:
    std::span<const std::byte> left_;
    std::vector<std::shared_ptr<const void>> known_;
};

// --- values -------------------------------------------------------------------------------

template <typename Archive, Plain T>
void field(Archive& archive, T& value) {
    archive.raw(&value, sizeof value);
}

template <typename Archive>
void field(Archive& archive, std::string& text) {
    text.resize(archive.count(text.size()));
    archive.raw(text.data(), text.size());
}

template <typename Archive>
void field(Archive& archive, Hash& hash) {
    field(archive, hash.low);
    field(archive, hash.high);
}

template <typename Archive, typename Scalar, int Rows, int Columns>
void field(Archive& archive, Eigen::Matrix<Scalar, Rows, Columns>& matrix) {
    archive.raw(matrix.data(), sizeof(Scalar) * Rows * Columns);
}

template <typename Archive>
void field(Archive& archive, Box& box) {
    field(archive, box.min());
    field(archive, box.max());
}

template <typename Archive>
void field(Archive& archive, Json& json) {
    std::vector<std::uint8_t> bytes;
    if constexpr (!Archive::kReads) bytes = Json::to_cbor(json);
    bytes.resize(archive.count(bytes.size()));
    archive.raw(bytes.data(), bytes.size());
    if constexpr (Archive::kReads) json = Json::from_cbor(bytes);
}

template <typename Archive>
void field(Archive& archive, std::filesystem::path& path) {
    std::string text = path.string();
    field(archive, text);
    if constexpr (Archive::kReads) path = text;
}

template <typename Archive, typename T>
void field(Archive& archive, std::shared_ptr<const T>& pointer) {
    archive.shared(pointer);
}

template <typename Archive, typename T>
void field(Archive& archive, std::vector<T>& values) {
    values.resize(archive.count(values.size()));
    if constexpr (std::is_arithmetic_v<T> || std::is_same_v<T, std::byte>)
        archive.raw(values.data(), values.size() * sizeof(T));
    else
        for (T& value : values) field(archive, value);
}

template <typename Archive>
void field(Archive& archive, Counts& counts) {
    archive.raw(counts.data(), sizeof counts);
}

template <typename Archive, typename T>
void field(Archive& archive, std::optional<T>& value) {
    bool has = value.has_value();
    field(archive, has);
    if constexpr (Archive::kReads) {
        value.reset();
        if (has) value.emplace();
    }
    if (has) field(archive, *value);
}

template <typename Archive, typename T>
requires std::is_class_v<T>
void field(Archive& archive, T& value) {
    fields(archive, value);
}

/// The members of a struct, in their order.
template <typename Archive, typename... Members>
void all(Archive& archive, Members&... members) {
    (field(archive, members), ...);
}

// --- structs ------------------------------------------------------------------------------

template <typename Archive>
void fields(Archive& a, Stream& s) {
    all(a, s.type, s.components, s.normalized, s.matrix, s.data);
}
template <typename Archive>
void fields(Archive& a, Attribute& s) {
    all(a, s.semantic, s.stream);
}
template <typename Archive>
void fields(Archive& a, Part& s) {
    all(a, s.material, s.mode, s.attributes, s.indices, s.targets, s.rest);
}
template <typename Archive>
void fields(Archive& a, Mesh& s) {
    all(a, s.name, s.parts, s.rest, s.bounds, s.triangles, s.vertices, s.bytes, s.hash);
}
template <typename Archive>
void fields(Archive& a, Ladder::Level& s) {
    all(a, s.mesh, s.deviation, s.switchDistance, s.normalError, s.textureSlide);
}
template <typename Archive>
void fields(Archive& a, MergedRange& s) {
    all(a, s.origin, s.part, s.first, s.triangles);
}
template <typename Archive>
void fields(Archive& a, Asset& s) {
    all(a, s.mesh, s.ladder.levels, s.ladder.caps, s.ladder.crowd, s.ladder.hysteresis, s.sources,
        s.importance, s.ranges);
}
template <typename Archive>
void fields(Archive& a, Node& s) {
    all(a, s.name, s.parent, s.children, s.local, s.mesh, s.skin, s.camera, s.light, s.instances,
        s.instanceStreams, s.instanceNames, s.rest);
}
template <typename Archive>
void fields(Archive& a, Object& s) {
    all(a, s.name, s.node, s.instance, s.asset, s.world, s.bounds, s.scale, s.castsShadow,
        s.culling.fadeStart, s.culling.end, s.culling.shadowEnd, s.culling.start, s.origins,
        s.standIn);
}
template <typename Archive>
void fields(Archive& a, Image& s) {
    all(a, s.name, s.uri, s.mime, s.data, s.width, s.height, s.channels, s.hash, s.rest,
        s.madeFrom);
}
template <typename Archive>
void fields(Archive& a, Sampler& s) {
    all(a, s.minFilter, s.rest);
}
template <typename Archive>
void fields(Archive& a, Texture& s) {
    all(a, s.name, s.image, s.sampler, s.rest, s.formatExtension, s.formatImage);
}
template <typename Archive>
void fields(Archive& a, TextureUse& s) {
    all(a, s.role, s.texture, s.texCoord, s.transform);
}
template <typename Archive>
void fields(Archive& a, Material& s) {
    all(a, s.name, s.baseColor, s.emissive, s.metallic, s.roughness, s.alphaMode, s.alphaCutoff,
        s.doubleSided, s.unlit, s.textures, s.source);
}
template <typename Archive>
void fields(Archive& a, Light& s) {
    all(a, s.name, s.type, s.color, s.intensity, s.range, s.rest);
}
template <typename Archive>
void fields(Archive& a, PlacedLight& s) {
    all(a, s.name, s.node, s.light, s.position, s.range, s.castsShadow, s.fadeStart, s.end,
        s.shadowEnd, s.origins);
}
template <typename Archive>
void fields(Archive& a, Skin& s) {
    all(a, s.joints, s.inverseBind, s.rest);
}
template <typename Archive>
void fields(Archive& a, Animation::Sampler& s) {
    all(a, s.input, s.output, s.rest);
}
template <typename Archive>
void fields(Archive& a, Animation& s) {
    all(a, s.name, s.samplers, s.channels, s.rest);
}
template <typename Archive>
void fields(Archive& a, Note& s) {
    all(a, s.where, s.what);
}
template <typename Archive>
void fields(Archive& a, Scene& s) {
    all(a, s.name, s.nodes, s.scenes, s.defaultScene, s.objects, s.assets, s.materials, s.textures,
        s.samplers, s.images, s.lights, s.placedLights, s.cameras, s.skins, s.animations, s.streams,
        s.shadowLightsAtOnce, s.rest, s.notes, s.originNames, s.files);
}
template <typename Archive>
void fields(Archive& a, SceneTotals& s) {
    all(a, s.objects, s.triangles, s.shadowTriangles, s.calls, s.meshBytes, s.textureBytes,
        s.diskBytes, s.loadSeconds);
}
template <typename Archive>
void fields(Archive& a, Saving& s) {
    all(a, s.what, s.triangles, s.placed, s.vertices);
}
/// What a fix told, its report as the row of its kind writes it.
template <typename Archive>
void fields(Archive& a, FixRecord& s) {
    std::string key = s.kind ? s.kind->key : "";
    Json report;
    if constexpr (!Archive::kReads)
        if (s.report) report = s.kind->writeReport(*s.report);
    all(a, s.summary, s.before, s.after, s.assets, s.notes, key, report);
    if constexpr (Archive::kReads) {
        s.kind = findFixKind(key);
        if (!s.kind) throw Damaged{};
        if (!report.is_null() && s.kind->readReport) s.report = s.kind->readReport(report);
    }
}
template <typename Archive>
void fields(Archive& a, Fixed& s) {
    all(a, s.scene, s.record);
}

}  // namespace

Expected<void> saveEvaluation(const Evaluation& evaluation, const std::filesystem::path& path) {
    Writer writer;
    std::string format(kFormat);
    std::uint32_t version = kVersion;
    Hash last = evaluation.steps.empty() ? Hash{} : evaluation.steps.back().key;
    std::size_t steps = evaluation.steps.size();
    all(writer, format, version, last, steps);
    // What the source shares with the first result is stored with that.
    for (const Step& step : evaluation.steps) {
        Hash key = step.key;
        std::shared_ptr<const Fixed> result = step.result;
        all(writer, key, result);
    }
    return writeSealed(path, writer.out);
}

bool loadEvaluation(const std::filesystem::path& path, const Hash& lastKey, StepCache& cache) {
    const auto bytes = readSealed(path);
    if (!bytes) return false;
    try {
        Reader reader(*bytes);
        std::string format;
        std::uint32_t version = 0;
        Hash last;
        std::size_t steps = 0;
        all(reader, format, version, last, steps);
        if (format != kFormat || version != kVersion || last != lastKey) return false;
        for (std::size_t i = 0; i < steps; ++i) {
            Hash key;
            std::shared_ptr<const Fixed> result;
            all(reader, key, result);
            cache.insert(key, std::move(result));
        }
        return true;
    } catch (const Damaged&) {
        return false;
    } catch (const Json::exception&) {
        return false;
    }
}

}  // namespace flentro
