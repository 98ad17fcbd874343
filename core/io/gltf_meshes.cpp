#include "io/gltf_meshes.h"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <map>
#include <numeric>

#include "base/parallel.h"
#include "base/text.h"
#include "io/draco.h"
#include "io/repair.h"

namespace flentro {
namespace {

constexpr const char* kDraco = "KHR_draco_mesh_compression";

template <typename T>
std::vector<std::uint32_t> widen(const Stream& stream) {
    std::vector<std::uint32_t> result(stream.count());
    const auto* values = reinterpret_cast<const T*>(stream.data.data());
    std::copy(values, values + result.size(), result.begin());
    return result;
}

Expected<std::vector<std::uint32_t>> toIndices(const Stream& stream) {
    if (stream.components == 1) {
        if (stream.type == ComponentType::UInt8) return widen<std::uint8_t>(stream);
        if (stream.type == ComponentType::UInt16) return widen<std::uint16_t>(stream);
        if (stream.type == ComponentType::UInt32) return widen<std::uint32_t>(stream);
    }
    return fail(ErrorCode::InvalidInput, "its indices are not unsigned integers");
}

/// Strips and fans as plain triangles, loops and line strips as lines (glTF 2.0, 3.7.2.1).
void expandMode(Part& part) {
    std::vector<std::uint32_t> in = std::move(part.indices);
    std::vector<std::uint32_t> out;
    const std::size_t n = in.size();
    if (part.mode == 5)
        for (std::size_t i = 2; i < n; ++i)
            out.insert(out.end(), {in[i - 2], in[i - 1 + i % 2], in[i - i % 2]});
    if (part.mode == 6)
        for (std::size_t i = 2; i < n; ++i) out.insert(out.end(), {in[0], in[i - 1], in[i]});
    if (part.mode == 2 || part.mode == 3)
        for (std::size_t i = 1; i < n; ++i) out.insert(out.end(), {in[i - 1], in[i]});
    if (part.mode == 2 && n > 2) out.insert(out.end(), {in[n - 1], in[0]});
    const bool plain = part.mode == 0 || part.mode == 1 || part.mode == 4;
    part.indices = std::move(plain ? in : out);
    part.mode = part.mode >= 4 ? 4 : part.mode == 0 ? 0 : 1;
}

/// Reads meshes one by one; streams used by several parts stay shared.
class MeshReader {
public:
    MeshReader(const Json& document, GltfAccessors& accessors, Scene& scene)
        : document_(document), accessors_(accessors), scene_(scene) {}

    Expected<void> run(Progress& progress) {
        SubProgress decoding(progress, 0, 0.6);
        if (auto done = accessors_.decode(accessorsInUse(), decoding); !done) return done;
        const Json& meshes = jsonArray(document_, "meshes");
        std::vector<Mesh> read(meshes.size());
        for (std::size_t i = 0; i < meshes.size(); ++i) {
            if (progress.cancelled()) return stopped("Reading");
            where_ = objectName("mesh", i, meshes[i]);
            auto mesh = readMesh(i, meshes[i]);
            if (!mesh) return tl::unexpected(mesh.error());
            read[i] = std::move(*mesh);
        }
        return finish(std::move(read), progress);
    }

private:
    Expected<void> finish(std::vector<Mesh> read, Progress& progress) {
        scene_.assets.resize(read.size());
        SubProgress finishing(progress, 0.6, 1);
        const bool finished =
            parallelFor(read.size(), "Measuring meshes", finishing, [&](std::size_t i) {
                Asset& asset = scene_.assets[i];
                asset.mesh = finishMesh(std::move(read[i]));
                asset.sources = {asset.mesh->name};
            });
        if (!finished) return stopped("Reading");
        return {};
    }

    [[nodiscard]] std::vector<int> accessorsInUse() const {
        std::vector<int> wanted;
        const auto add = [&](const Json& attributes) {
            for (const auto& [name, index] : attributes.items())
                if (index.is_number_integer()) wanted.push_back(index.get<int>());
        };
        for (const Json& mesh : jsonArray(document_, "meshes")) {
            for (const Json& primitive : jsonArray(mesh, "primitives")) {
                if (jsonObject(primitive, "extensions").contains(kDraco)) continue;
                add(jsonObject(primitive, "attributes"));
                for (const Json& target : jsonArray(primitive, "targets")) add(target);
                if (primitive.contains("indices"))
                    wanted.push_back(jsonOr(primitive, "indices", -1));
            }
        }
        return wanted;
    }

    Expected<Mesh> readMesh(std::size_t index, const Json& source) {
        Mesh mesh;
        mesh.name = jsonOr<std::string>(source, "name", "");
        if (mesh.name.empty()) mesh.name = fmt::format("mesh {}", index);
        mesh.rest = without(source, {"name", "primitives"});
        for (const Json& primitive : jsonArray(source, "primitives")) {
            auto part = readPart(primitive);
            if (!part) {
                part.error().where = where_ + ": " + part.error().where;
                return tl::unexpected(part.error());
            }
            if (part->vertexCount() > 0) mesh.parts.push_back(std::move(*part));
        }
        if (mesh.parts.empty()) note("has no geometry that can be read; it is kept empty");
        return mesh;
    }

    Expected<Part> readPart(const Json& primitive) {
        Part part;
        part.mode = jsonOr(primitive, "mode", 4);
        part.material = jsonOr(primitive, "material", -1);
        if (part.mode < 0 || part.mode > 6)
            return fail(ErrorCode::InvalidInput, "a primitive has an unknown mode", "primitive");
        if (part.material >= static_cast<int>(scene_.materials.size()) || part.material < -1) {
            note("a primitive names a material that does not exist; the default is used");
            part.material = -1;
        }
        part.rest =
            without(primitive, {"attributes", "indices", "material", "mode", "targets"}, {kDraco});
        const bool packed = jsonObject(primitive, "extensions").contains(kDraco);
        auto filled = packed ? readCompressed(primitive, part) : readPlain(primitive, part);
        if (!filled) return tl::unexpected(filled.error());
        expandMode(part);
        dropUnsound(part);
        return part;
    }

    Expected<void> readPlain(const Json& primitive, Part& part) {
        const Json& attributes = jsonObject(primitive, "attributes");
        if (auto done = readAttributes(attributes, part.attributes, false); !done) return done;
        for (const Json& target : jsonArray(primitive, "targets")) {
            part.targets.emplace_back();
            if (auto done = readAttributes(target, part.targets.back(), true); !done) return done;
        }
        dropUnevenStreams(part);
        if (!primitive.contains("indices")) {
            part.indices.resize(part.vertexCount());
            std::iota(part.indices.begin(), part.indices.end(), 0U);
            return takeIndices(part);
        }
        auto stream = accessors_.stream(jsonOr(primitive, "indices", -1));
        if (!stream) return tl::unexpected(stream.error());
        auto indices = toIndices(**stream);
        if (!indices) return tl::unexpected(indices.error());
        part.indices = std::move(*indices);
        return takeIndices(part);
    }

    /// Strips and fans become three corners a triangle.
    Expected<void> takeIndices(const Part& part) {
        const std::size_t corners = part.mode > 4 ? 3 : 1;
        return accessors_.memory().take(part.indices.size() * corners * sizeof(std::uint32_t),
                                        "indices");
    }

    Expected<void> readCompressed(const Json& primitive, Part& part) {
        const Json& extension = jsonObject(jsonObject(primitive, "extensions"), kDraco);
        auto data = accessors_.bufferView(jsonOr(extension, "bufferView", -1));
        if (!data) return tl::unexpected(data.error());
        std::vector<DracoAttribute> wanted;
        for (const auto& [semantic, id] : jsonObject(extension, "attributes").items()) {
            const int accessor = jsonOr(jsonObject(primitive, "attributes"), semantic.c_str(), -1);
            auto layout = accessors_.layout(accessor);
            if (!layout) return tl::unexpected(layout.error());
            wanted.push_back({semantic, id.is_number() ? id.get<int>() : -1, std::move(*layout)});
        }
        auto mesh = decodeDraco(*data, wanted);
        if (!mesh) return tl::unexpected(mesh.error());
        for (Attribute& attribute : mesh->attributes) {
            SoundStream sound = makeSound(attribute.stream, attribute.semantic);
            attribute.stream = sound.stream;
            unusable_[sound.stream.get()] = sound.unusable;
        }
        part.attributes = std::move(mesh->attributes);
        part.indices = std::move(mesh->indices);
        return {};
    }

    /// POSITION first, so that the vertex count is that of the positions. Morph targets hold
    /// differences, which need not have unit length.
    Expected<void> readAttributes(const Json& source, std::vector<Attribute>& attributes,
                                  bool differences) {
        for (const auto& [semantic, index] : source.items()) {
            auto stream = accessors_.stream(index.is_number_integer() ? index.get<int>() : -1);
            if (!stream) {
                stream.error().where += " (" + semantic + ")";
                return tl::unexpected(stream.error());
            }
            Attribute attribute{semantic,
                                soundStream(*stream, differences ? "difference" : semantic)};
            const bool first = semantic == "POSITION";
            attributes.insert(first ? attributes.begin() : attributes.end(), attribute);
        }
        return {};
    }

    StreamPtr soundStream(const StreamPtr& stream, const std::string& semantic) {
        const auto key = std::make_pair(stream.get(), semantic);
        if (const auto known = sound_.find(key); known != sound_.end()) return known->second;
        SoundStream sound = makeSound(stream, semantic);
        if (sound.repaired > 0)
            note(fmt::format("{}: {} of {} values repaired", semantic, sound.repaired,
                             stream->count()));
        unusable_[sound.stream.get()] = std::move(sound.unusable);
        return sound_[key] = sound.stream;
    }

    void dropUnevenStreams(Part& part) {
        const Stream* positions = part.find("POSITION");
        if (!positions || positions->components != 3 || positions->matrix) {
            note("a primitive has no positions and is left out");
            part.attributes.clear();
            part.targets.clear();
            return;
        }
        const auto isUneven = [&](const Attribute& attribute) {
            if (attribute.stream->count() == positions->count()) return false;
            note(attribute.semantic + " has another length than POSITION and is left out");
            return true;
        };
        std::erase_if(part.attributes, isUneven);
        for (auto& target : part.targets) std::erase_if(target, isUneven);
    }

    void dropUnsound(Part& part) {
        const auto unusable = unusable_.find(part.find("POSITION"));
        static const std::vector<bool> none;
        const Dropped dropped =
            dropUnusable(part, unusable == unusable_.end() ? none : unusable->second);
        const char* kind = part.mode == 4 ? "triangle" : part.mode == 0 ? "point" : "line";
        const auto tell = [&](std::size_t count, const char* why) {
            if (count > 0) note(fmt::format("{} left out: {}", counted(count, kind), why));
        };
        tell(dropped.outOfRange, "an index is beyond the vertices");
        tell(dropped.notFinite, "a position is not a finite number");
        if (dropped.incomplete)
            note(fmt::format("the last {} left out: it has too few corners", kind));
    }

    void note(std::string what) { scene_.notes.push_back({where_, std::move(what)}); }

    const Json& document_;
    GltfAccessors& accessors_;
    Scene& scene_;
    std::string where_;
    std::map<std::pair<const Stream*, std::string>, StreamPtr> sound_;
    std::map<const Stream*, std::vector<bool>> unusable_;
};

}  // namespace

Json without(const Json& object, const std::vector<const char*>& keys,
             const std::vector<const char*>& extensions) {
    Json rest = object.is_object() ? object : Json::object();
    for (const char* key : keys) rest.erase(key);
    if (!rest.contains("extensions") || !rest["extensions"].is_object()) return rest;
    for (const char* name : extensions) rest["extensions"].erase(name);
    if (rest["extensions"].empty()) rest.erase("extensions");
    return rest;
}

Expected<void> readMeshes(const Json& document, GltfAccessors& accessors, Scene& scene,
                          Progress& progress) {
    return MeshReader(document, accessors, scene).run(progress);
}

}  // namespace flentro
