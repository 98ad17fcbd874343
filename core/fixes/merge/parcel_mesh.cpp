#include "fixes/merge/parcel_mesh.h"

#include <Eigen/LU>
#include <algorithm>
#include <cmath>
#include <map>
#include <set>

namespace flentro {
namespace {

bool isFilledIn(const std::string& semantic) {
    return semantic.starts_with("TEXCOORD_") || semantic.starts_with("COLOR_");
}

/// Transforms for one member, from its mesh to the parcel.
struct Placing {
    Mat4d local;
    Eigen::Matrix3d normals;
    bool mirrored = false;

    Placing(const Object& object, const Vec3d& centre) : local(object.world) {
        local.topRightCorner<3, 1>() -= centre;
        normals = local.topLeftCorner<3, 3>().inverse().transpose();
        mirrored = local.topLeftCorner<3, 3>().determinant() < 0;
    }
};

/// Grows one part from many.
class PartJoiner {
public:
    explicit PartJoiner(const Part& like) : like_(like) {}

    [[nodiscard]] std::size_t vertexCount() const { return count_; }

    /// Returns the first triangle of what was added.
    std::size_t add(const Part& part, const Placing& placing) {
        const std::size_t firstTriangle = indices_.size() / 3;
        for (const Attribute& attribute : part.attributes) append(attribute, part, placing);
        const auto first = static_cast<std::uint32_t>(count_);
        count_ += part.vertexCount();
        for (auto& [semantic, values] : values_) {
            const float fill = semantic.starts_with("COLOR_") ? 1 : 0;
            values.numbers.resize(count_ * static_cast<std::size_t>(values.components), fill);
        }
        forEachTriangle(part, [&](const Corners& t) {
            indices_.insert(indices_.end(), {first + t[0], first + t[placing.mirrored ? 2 : 1],
                                             first + t[placing.mirrored ? 1 : 2]});
        });
        return firstTriangle;
    }

    [[nodiscard]] Part finish() const {
        Part part;
        part.material = like_.material;
        part.rest = like_.rest;
        part.indices = indices_;
        for (const auto& [semantic, values] : values_) {
            Stream stream;
            stream.type = values.type;
            stream.normalized = values.normalized;
            stream.components = values.components;
            stream.data.resize(count_ * stream.elementSize());
            for (std::size_t v = 0; v < count_; ++v)
                for (int c = 0; c < values.components; ++c)
                    stream.set(v, c,
                               values.numbers[v * static_cast<std::size_t>(values.components) +
                                              static_cast<std::size_t>(c)]);
            part.set(semantic.c_str(), std::move(stream));
        }
        return part;
    }

private:
    /// The numbers of one vertex: as many as a matrix has.
    using Element = Eigen::Matrix<float, 16, 1>;
    struct Values {
        ComponentType type = ComponentType::Float32;
        int components = 0;
        bool normalized = false;
        std::vector<float> numbers;
    };

    void append(const Attribute& attribute, const Part& part, const Placing& placing) {
        const Stream& stream = *attribute.stream;
        Values& values = values_[attribute.semantic];
        if (values.components == 0) start(values, attribute);
        if (values.type != stream.type && attribute.semantic.starts_with("COLOR_")) {
            values.type = ComponentType::Float32;
            values.normalized = false;
        }
        // Parts before this one had none, or fewer components: colours without alpha.
        if (stream.components > values.components) widen(values, stream.components);
        const float fill = attribute.semantic.starts_with("COLOR_") ? 1 : 0;
        values.numbers.resize(count_ * static_cast<std::size_t>(values.components), fill);
        for (std::size_t v = 0; v < part.vertexCount(); ++v) {
            Element value = Element::Constant(fill);
            for (int c = 0; c < stream.components; ++c) value[c] = stream.value(v, c);
            place(attribute.semantic, placing, value);
            values.numbers.insert(values.numbers.end(), value.data(),
                                  value.data() + values.components);
        }
    }

    static void start(Values& values, const Attribute& attribute) {
        values.components = attribute.stream->components;
        const std::string& semantic = attribute.semantic;
        const bool asFloats = semantic == "POSITION" || semantic == "NORMAL" ||
                              semantic == "TANGENT" || semantic.starts_with("TEXCOORD_");
        if (asFloats) return;
        values.type = attribute.stream->type;
        values.normalized = attribute.stream->normalized;
    }

    static void widen(Values& values, int components) {
        std::vector<float> wide;
        for (std::size_t i = 0; i < values.numbers.size(); ++i) {
            wide.push_back(values.numbers[i]);
            if (static_cast<int>(i % static_cast<std::size_t>(values.components)) ==
                values.components - 1)
                wide.insert(wide.end(), static_cast<std::size_t>(components - values.components),
                            1.0F);
        }
        values.numbers = std::move(wide);
        values.components = components;
    }

    static void place(const std::string& semantic, const Placing& placing, Element& value) {
        if (semantic == "POSITION") {
            value.head<3>() =
                transformPoint(placing.local, value.head<3>().cast<double>()).cast<float>();
        } else if (semantic == "NORMAL") {
            value.head<3>() = unit(placing.normals * value.head<3>().cast<double>());
        } else if (semantic == "TANGENT") {
            value.head<3>() =
                unit(placing.local.topLeftCorner<3, 3>() * value.head<3>().cast<double>());
        }
    }

    static Vec3f unit(const Vec3d& v) {
        const double length = v.norm();
        return length > 0 ? Vec3f((v / length).cast<float>()) : Vec3f(0, 1, 0);
    }

    const Part& like_;
    std::size_t count_ = 0;
    std::map<std::string, Values> values_;
    std::vector<std::uint32_t> indices_;
};

/// All parts of one level, joined by kind.
class MeshJoiner {
public:
    MeshJoiner(const Vec3d& centre, std::size_t maxVertices)
        : centre_(centre), maxVertices_(maxVertices) {}

    void add(const Object& object, const Mesh& mesh) {
        const Placing placing(object, centre_);
        for (const Part& part : mesh.parts) {
            if (part.indices.empty()) continue;
            const auto [at, isNew] = open_.try_emplace(partKind(part), joiners_.size());
            if (isNew) {
                joiners_.emplace_back(part);
            } else if (joiners_[at->second].vertexCount() + part.vertexCount() > maxVertices_) {
                at->second = joiners_.size();
                joiners_.emplace_back(part);
            }
            const std::size_t first = joiners_[at->second].add(part, placing);
            ranges_.push_back({object.origins.front(), static_cast<std::uint32_t>(at->second),
                               static_cast<std::uint32_t>(first),
                               static_cast<std::uint32_t>(part.triangleCount())});
        }
    }

    [[nodiscard]] MeshPtr finish(const std::string& name) const {
        Mesh mesh;
        mesh.name = name;
        for (const PartJoiner& joiner : joiners_) mesh.parts.push_back(joiner.finish());
        return finishMesh(std::move(mesh));
    }

    [[nodiscard]] const std::vector<MergedRange>& ranges() const { return ranges_; }

private:
    const Vec3d centre_;
    const std::size_t maxVertices_;
    std::map<Hash, std::size_t> open_;
    std::vector<PartJoiner> joiners_;
    std::vector<MergedRange> ranges_;
};

}  // namespace

Hash partKind(const Part& part) {
    Hasher hasher;
    hasher.add(part.material).text(part.rest.dump());
    std::map<std::string, const Stream*> attributes;
    for (const Attribute& attribute : part.attributes)
        if (!isFilledIn(attribute.semantic))
            attributes[attribute.semantic] = attribute.stream.get();
    for (const auto& [semantic, stream] : attributes) {
        hasher.text(semantic);
        if (semantic.starts_with("_"))
            hasher.add(stream->type).add(stream->components).add(stream->normalized);
    }
    return hasher.result();
}

std::vector<Group> divideByParts(const Scene& scene, std::vector<Group> groups, std::size_t most) {
    if (most == 0) return groups;
    std::map<int, std::set<Hash>> known;  // by asset
    const auto kindsOf = [&](std::uint32_t object) -> const std::set<Hash>& {
        const int asset = scene.objects[object].asset;
        const auto [at, isNew] = known.try_emplace(asset);
        if (isNew)
            for (const Part& part : assetOf(scene, object).mesh->parts)
                at->second.insert(partKind(part));
        return at->second;
    };
    std::vector<Group> result;
    for (Group& group : groups) {
        std::stable_sort(group.begin(), group.end(),
                         [&](std::uint32_t a, std::uint32_t b) { return kindsOf(a) < kindsOf(b); });
        std::set<Hash> kinds;
        Group open;
        const auto close = [&] {
            std::sort(open.begin(), open.end());
            if (open.size() > 1) result.push_back(open);
            open.clear();
            kinds.clear();
        };
        for (const std::uint32_t object : group) {
            std::set<Hash> both = kinds;
            both.insert(kindsOf(object).begin(), kindsOf(object).end());
            if (both.size() > most) {
                close();
                both = kindsOf(object);
            }
            kinds = std::move(both);
            open.push_back(object);
        }
        close();
    }
    return result;
}

MeshPtr joinParts(const MeshPtr& mesh) {
    const auto canJoin = [](const Part& part) {
        return part.isTriangles() && !part.isDeformable() && !part.indices.empty();
    };
    std::map<Hash, std::vector<const Part*>> kinds;
    for (const Part& part : mesh->parts)
        if (canJoin(part)) kinds[partKind(part)].push_back(&part);
    Mesh joined = *mesh;
    joined.parts.clear();
    const Object still;
    for (const Part& part : mesh->parts) {
        const auto* same = canJoin(part) ? &kinds.at(partKind(part)) : nullptr;
        if (!same || same->size() < 2) {
            joined.parts.push_back(part);
            continue;
        }
        if (same->front() != &part) continue;
        PartJoiner joiner(part);
        for (const Part* other : *same)  // parts may share one buffer of vertices
            joiner.add(dropUnusedVertices(*other), Placing(still, Vec3d::Zero()));
        joined.parts.push_back(joiner.finish());
    }
    return joined.parts.size() < mesh->parts.size() ? finishMesh(std::move(joined)) : mesh;
}

Asset mergeGroup(const Scene& scene, const Group& group, const Vec3d& centre,
                 std::size_t maxVertices, const std::string& name) {
    std::size_t levels = 0;
    for (const std::uint32_t i : group)
        levels = std::max(levels, assetOf(scene, i).ladder.levels.size());
    Asset asset;
    for (std::size_t level = 0; level <= levels; ++level) {
        MeshJoiner joiner(centre, maxVertices);
        Ladder::Level made;
        for (const std::uint32_t i : group) {
            const Asset& member = assetOf(scene, i);
            const std::size_t shown = std::min(level, member.ladder.levels.size());
            joiner.add(scene.objects[i], *member.level(shown));
            if (shown == 0) continue;
            const Ladder::Level& own = member.ladder.levels[shown - 1];
            const double scale = scene.objects[i].scale;
            made.deviation = std::max(made.deviation, own.deviation * scale);
            made.switchDistance = std::max(made.switchDistance, own.switchDistance * scale);
            asset.ladder.hysteresis = std::max(asset.ladder.hysteresis, member.ladder.hysteresis);
        }
        made.mesh = joiner.finish(name);
        if (level == 0) {
            asset.mesh = made.mesh;
            asset.ranges = joiner.ranges();
        } else {
            asset.ladder.levels.push_back(std::move(made));
        }
    }
    for (const std::uint32_t i : group) {
        const std::string& source = assetOf(scene, i).mesh->name;
        if (std::find(asset.sources.begin(), asset.sources.end(), source) == asset.sources.end())
            asset.sources.push_back(source);
    }
    return asset;
}

}  // namespace flentro
