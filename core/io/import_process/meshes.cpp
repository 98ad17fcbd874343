#include "meshes.h"
#include "base/index.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <span>

#include "base/text.h"
#include "geometry/crease.h"

namespace flentro {
namespace {

std::vector<Vec3f> toVectors(const aiVector3D* values, unsigned count) {
    std::vector<Vec3f> result(count);
    std::transform(values, values + count, result.begin(), toVector);
    return result;
}

/// glTF puts the origin of textures at the top.
std::vector<Vec2f> toTexCoords(const aiVector3D* values, unsigned count) {
    std::vector<Vec2f> result(count);
    for (unsigned i = 0; i < count; ++i)
        result[i] = {finiteOr(values[i].x, 0), 1 - finiteOr(values[i].y, 0)};
    return result;
}

/// IEC 61966-2-1: files hold colours as they are shown, glTF as light.
float toLinear(float shown) {
    const float v = std::clamp(finiteOr(shown, 1), 0.0F, 1.0F);
    return v <= 0.04045F ? v / 12.92F : std::pow((v + 0.055F) / 1.055F, 2.4F);
}

/// Empty if all are white.
Stream toColors(const aiColor4D* values, unsigned count) {
    Stream stream{ComponentType::UInt16, 4, true, false, {}};
    stream.data.resize(count * stream.elementSize());
    bool isWhite = true;
    for (unsigned i = 0; i < count; ++i) {
        const aiColor4D& c = values[i];
        isWhite = isWhite && c.r >= 1 && c.g >= 1 && c.b >= 1 && c.a >= 1;
        const std::array linear = {toLinear(c.r), toLinear(c.g), toLinear(c.b),
                                   std::clamp(finiteOr(c.a, 1), 0.0F, 1.0F)};
        for (int k = 0; k < 4; ++k) stream.set(i, k, elementOf(linear, k));
    }
    if (isWhite) stream.data.clear();
    return stream;
}

void add(std::vector<Attribute>& attributes, std::string semantic, Stream stream) {
    attributes.push_back({std::move(semantic), std::make_shared<const Stream>(std::move(stream))});
}

std::vector<Attribute> attributesOf(const aiMesh& mesh, bool hasNormals) {
    std::vector<Attribute> attributes;
    add(attributes, "POSITION", makeStream(toVectors(mesh.mVertices, mesh.mNumVertices)));
    if (hasNormals && mesh.HasNormals())
        add(attributes, "NORMAL", makeStream(toVectors(mesh.mNormals, mesh.mNumVertices)));
    for (unsigned i = 0; i < AI_MAX_NUMBER_OF_TEXTURECOORDS && mesh.HasTextureCoords(i); ++i)
        add(attributes, fmt::format("TEXCOORD_{}", i),
            makeStream(toTexCoords(mesh.mTextureCoords[i], mesh.mNumVertices)));
    if (mesh.HasVertexColors(0)) {
        Stream colors = toColors(mesh.mColors[0], mesh.mNumVertices);
        if (!colors.data.empty()) add(attributes, "COLOR_0", std::move(colors));
    }
    return attributes;
}

std::vector<std::vector<Attribute>> targetsOf(const aiMesh& mesh) {
    std::vector<std::vector<Attribute>> targets;
    const auto moved = [&](const aiVector3D* to, const aiVector3D* from) {
        std::vector<Vec3f> by(mesh.mNumVertices);
        for (unsigned i = 0; i < mesh.mNumVertices; ++i) by[i] = toVector(to[i] - from[i]);
        return makeStream(by);
    };
    for (unsigned t = 0; t < mesh.mNumAnimMeshes; ++t) {
        const aiAnimMesh& target = *mesh.mAnimMeshes[t];
        if (target.mNumVertices != mesh.mNumVertices || !target.HasPositions()) continue;
        std::vector<Attribute> attributes;
        add(attributes, "POSITION", moved(target.mVertices, mesh.mVertices));
        if (target.HasNormals() && mesh.HasNormals())
            add(attributes, "NORMAL", moved(target.mNormals, mesh.mNormals));
        targets.push_back(std::move(attributes));
    }
    return targets;
}

/// The four bones that move each vertex most.
class Weights {
public:
    explicit Weights(unsigned vertices) : of_(vertices) {}

    void add(const aiBone& bone, std::uint16_t joint) {
        for (unsigned i = 0; i < bone.mNumWeights; ++i) {
            const auto [vertex, weight] = bone.mWeights[i];
            if (vertex >= of_.size() || !(weight > 0) || !std::isfinite(weight)) continue;
            auto& slots = of_[vertex];
            auto& least = *std::min_element(slots.begin(), slots.end(),
                                            [](auto& a, auto& b) { return a.weight < b.weight; });
            dropped_ += least.weight > 0;
            if (weight > least.weight) least = {joint, weight};
        }
    }
    void addTo(std::vector<Attribute>& attributes) const {
        Stream joints{ComponentType::UInt16, 4, false, false, {}};
        Stream weights{ComponentType::Float32, 4, false, false, {}};
        joints.data.resize(of_.size() * joints.elementSize());
        weights.data.resize(of_.size() * weights.elementSize());
        for (std::size_t v = 0; v < of_.size(); ++v) {
            float sum = 0;
            for (const Slot& slot : of_[v]) sum += slot.weight;
            std::array<std::uint16_t, 4> joint{};
            std::array<float, 4> weight{sum > 0 ? 0.0F : 1.0F};
            for (std::size_t k = 0; k < 4 && sum > 0; ++k) {
                joint[k] = of_[v][k].weight > 0 ? of_[v][k].joint : std::uint16_t{0};
                weight[k] = of_[v][k].weight / sum;
            }
            std::memcpy(joints.data.data() + v * sizeof joint, joint.data(), sizeof joint);
            std::memcpy(weights.data.data() + v * sizeof weight, weight.data(), sizeof weight);
        }
        flentro::add(attributes, "JOINTS_0", std::move(joints));
        flentro::add(attributes, "WEIGHTS_0", std::move(weights));
    }
    [[nodiscard]] std::size_t dropped() const { return dropped_; }

private:
    struct Slot {
        std::uint16_t joint = 0;
        float weight = 0;
    };
    std::vector<std::array<Slot, 4>> of_;
    std::size_t dropped_ = 0;
};

std::string jointKey(const aiBone& bone) {
    return std::string(bone.mName.C_Str()) + toJson(bone.mOffsetMatrix).dump();
}

/// Corners of the faces with so many corners: 1 points, 2 lines, 3 triangles. Those that name a
/// vertex that is not there are counted instead.
std::vector<std::uint32_t> cornersOf(const aiMesh& mesh, unsigned corners, std::size_t& unusable) {
    std::vector<std::uint32_t> indices;
    for (unsigned i = 0; i < mesh.mNumFaces; ++i) {
        const aiFace& face = mesh.mFaces[i];
        if (face.mNumIndices != corners) continue;
        const std::span<const unsigned> named(face.mIndices, corners);
        if (std::ranges::any_of(named, [&](unsigned v) { return v >= mesh.mNumVertices; }))
            ++unusable;
        else
            indices.insert(indices.end(), named.begin(), named.end());
    }
    return indices;
}

}  // namespace

MeshConverter::MeshConverter(const aiScene& source, const MaterialConverter& materials,
                             const ConvertOptions& options, Scene& scene)
    : source_(source), materials_(materials), options_(options), scene_(scene) {}

MeshConverter::Skeleton MeshConverter::skeletonOf(const std::vector<unsigned>& meshes) const {
    Skeleton skeleton;
    for (const unsigned index : meshes) {
        const aiMesh& mesh = *source_.mMeshes[index];
        for (unsigned b = 0; b < mesh.mNumBones; ++b) {
            const auto number = static_cast<std::uint16_t>(skeleton.bones.size());
            if (skeleton.numbers.emplace(jointKey(*mesh.mBones[b]), number).second)
                skeleton.bones.push_back(mesh.mBones[b]);
        }
    }
    return skeleton;
}

Part MeshConverter::withShading(Part part) {
    if (!part.isTriangles()) return part;
    if (!isFaceShaded(part)) return weldEqualVertices(part);
    ++totals_.smoothed;
    return smoothByCrease(part, options_.creaseAngle);
}

std::vector<Part> MeshConverter::makeParts(unsigned index, const Skeleton& skeleton) {
    const aiMesh& mesh = *source_.mMeshes[index];
    std::vector<Part> parts;
    if (mesh.mNumVertices == 0 || !mesh.HasPositions()) return parts;
    Part whole;
    whole.material = materials_.materialOf(mesh.mMaterialIndex);
    whole.attributes = attributesOf(mesh, options_.hasNormals);
    whole.targets = targetsOf(mesh);
    if (!skeleton.bones.empty()) {
        Weights weights(mesh.mNumVertices);
        for (unsigned b = 0; b < mesh.mNumBones; ++b)
            weights.add(*mesh.mBones[b], skeleton.numbers.at(jointKey(*mesh.mBones[b])));
        weights.addTo(whole.attributes);
        totals_.manyWeights += weights.dropped();
    }
    for (const auto& [corners, mode] : {std::pair(3U, 4), std::pair(2U, 1), std::pair(1U, 0)}) {
        Part part = whole;
        part.mode = mode;
        part.indices = cornersOf(mesh, corners, totals_.unusable);
        if (part.indices.empty()) continue;
        parts.push_back(withShading(std::move(part)));
    }
    return parts;
}

int MeshConverter::assetFor(const std::vector<unsigned>& meshes, const std::string& nodeName) {
    if (const auto at = assets_.find(meshes); at != assets_.end()) return at->second;
    Mesh mesh;
    const aiMesh& first = *source_.mMeshes[meshes.front()];
    mesh.name = first.mName.length > 0 ? first.mName.C_Str() : nodeName;
    const Skeleton skeleton = skeletonOf(meshes);
    for (const unsigned index : meshes)
        for (Part& part : makeParts(index, skeleton)) mesh.parts.push_back(std::move(part));
    int asset = -1;
    if (mesh.parts.empty()) {
        ++totals_.empty;
    } else {
        asset = static_cast<int>(scene_.assets.size());
        scene_.assets.push_back({finishMesh(std::move(mesh)), {}, {}});
    }
    assets_.emplace(meshes, asset);
    return asset;
}

int MeshConverter::skinFor(const std::vector<unsigned>& meshes, const NodeIndex& nodes) {
    const auto [at, isNew] = skins_.try_emplace(meshes, static_cast<int>(scene_.skins.size()));
    if (!isNew) return at->second;
    const std::vector<const aiBone*> skeleton = skeletonOf(meshes).bones;
    Skin skin;
    Stream inverse{ComponentType::Float32, 16, false, true, {}};
    inverse.data.resize(skeleton.size() * inverse.elementSize());
    for (std::size_t j = 0; j < skeleton.size(); ++j) {
        const auto node = nodes.find(skeleton[j]->mName.C_Str());
        totals_.unknownBones += node == nodes.end();
        skin.joints.push_back(node == nodes.end() ? 0 : node->second);
        const Json matrix = toJson(skeleton[j]->mOffsetMatrix);
        for (int k = 0; k < 16; ++k)
            inverse.set(j, k, k == 15 ? 1 : elementOf(matrix, k).get<float>());
    }
    skin.inverseBind = std::make_shared<const Stream>(std::move(inverse));
    scene_.skins.push_back(std::move(skin));
    return at->second;
}

void MeshConverter::tellTotals() {
    const auto tell = [&](std::size_t count, const std::string& what) {
        if (count > 0) scene_.notes.push_back({"meshes", what});
    };
    tell(totals_.smoothed,
         fmt::format("normals made for {} with a crease angle of {:g} degrees: the file has none "
                     "that say more than the faces do",
                     counted(totals_.smoothed, "part"), options_.creaseAngle));
    tell(totals_.empty, counted(totals_.empty, "mesh", "meshes") + " without any face: left out");
    tell(totals_.unusable,
         counted(totals_.unusable, "face") + " of vertices that are not there: left out");
    tell(totals_.manyWeights, counted(totals_.manyWeights, "weight") +
                                  " beyond the four strongest bones of a vertex: left out");
    tell(totals_.unknownBones,
         counted(totals_.unknownBones, "bone") + " without a node: held by the root");
}

}  // namespace flentro
