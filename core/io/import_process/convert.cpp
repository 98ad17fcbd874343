#include "convert.h"

#include <algorithm>
#include <cmath>
#include <map>
#include <string>

#include "io/file.h"

namespace flentro {
namespace {

float finiteOr(float value, float fallback) {
    return std::isfinite(value) ? value : fallback;
}

Vec3f toVector(const aiVector3D& v) {
    return {v.x, v.y, v.z};
}

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

class Converter {
public:
    explicit Converter(const aiScene& source) : source_(source) {}

    Scene run() {
        for (unsigned i = 0; i < source_.mNumMaterials; ++i) addMaterial(*source_.mMaterials[i]);
        for (unsigned i = 0; i < source_.mNumMeshes; ++i) addMesh(*source_.mMeshes[i]);
        addNodes();
        scene_.rest = {{"asset", {{"version", "2.0"}}}};
        flatten(scene_);
        return std::move(scene_);
    }

private:
    void addMaterial(const aiMaterial& source) {
        Json material = describe(source);
        const std::string key = material.dump(-1, ' ', false, Json::error_handler_t::replace);
        const auto [at, isNew] = known_.try_emplace(key, static_cast<int>(scene_.materials.size()));
        materialOf_.push_back(at->second);
        if (!isNew) return;
        aiString name;
        source.Get(AI_MATKEY_NAME, name);
        material["name"] = name.C_Str();
        Material result;
        result.name = name.C_Str();
        result.source = std::move(material);
        scene_.materials.push_back(std::move(result));
    }

    Json describe(const aiMaterial& source) {
        aiColor4D color(1, 1, 1, 1);
        source.Get(AI_MATKEY_COLOR_DIFFUSE, color);
        float opacity = 1;
        source.Get(AI_MATKEY_OPACITY, opacity);
        aiColor3D emissive(0, 0, 0);
        source.Get(AI_MATKEY_COLOR_EMISSIVE, emissive);
        int twoSided = 0;
        source.Get(AI_MATKEY_TWOSIDED, twoSided);
        const auto unit = [](float v) { return std::clamp(finiteOr(v, 1), 0.0F, 1.0F); };
        Json material;
        Json& pbr = material["pbrMetallicRoughness"];
        pbr["baseColorFactor"] = {unit(color.r), unit(color.g), unit(color.b), unit(opacity)};
        pbr["metallicFactor"] = 0;
        pbr["roughnessFactor"] = 0.9;
        material["emissiveFactor"] = {unit(emissive.r), unit(emissive.g), unit(emissive.b)};
        if (opacity < 1) material["alphaMode"] = "BLEND";
        if (twoSided) material["doubleSided"] = true;
        aiString path;
        if (source.GetTexture(aiTextureType_DIFFUSE, 0, &path) == aiReturn_SUCCESS)
            pbr["baseColorTexture"]["index"] = textureFor(path.C_Str());
        return material;
    }

    /// The path is kept; the reader resolves it inside the scene's folder.
    int textureFor(std::string path) {
        std::replace(path.begin(), path.end(), '\\', '/');
        const auto [at, isNew] = textures_.try_emplace(path, static_cast<int>(textures_.size()));
        if (isNew) {
            Image image;
            image.name = path;
            image.uri = encodeUri(path);
            scene_.images.push_back(std::move(image));
            Texture texture;
            texture.image = at->second;
            scene_.textures.push_back(std::move(texture));
        }
        return at->second;
    }

    void addMesh(const aiMesh& source) {
        Part part;
        const auto add = [&](const char* semantic, Stream stream) {
            part.attributes.push_back(
                {semantic, std::make_shared<const Stream>(std::move(stream))});
        };
        add("POSITION", makeStream(toVectors(source.mVertices, source.mNumVertices)));
        if (source.HasNormals())
            add("NORMAL", makeStream(toVectors(source.mNormals, source.mNumVertices)));
        if (source.HasTextureCoords(0))
            add("TEXCOORD_0",
                makeStream(toTexCoords(source.mTextureCoords[0], source.mNumVertices)));
        for (unsigned i = 0; i < source.mNumFaces; ++i)
            if (source.mFaces[i].mNumIndices == 3)
                part.indices.insert(part.indices.end(), source.mFaces[i].mIndices,
                                    source.mFaces[i].mIndices + 3);
        if (source.mMaterialIndex < materialOf_.size())
            part.material = materialOf_[source.mMaterialIndex];
        parts_.push_back(std::move(part));
        names_.emplace_back(source.mName.C_Str());
    }

    /// Meshes of one node are parts of one asset; the same set of meshes is the same asset.
    int assetFor(const aiNode& node) {
        std::vector<unsigned> key(node.mMeshes, node.mMeshes + node.mNumMeshes);
        const auto [at, isNew] = assets_.try_emplace(key, static_cast<int>(scene_.assets.size()));
        if (isNew) {
            Mesh mesh;
            mesh.name = names_[key.front()].empty() ? node.mName.C_Str() : names_[key.front()];
            for (const unsigned index : key) mesh.parts.push_back(parts_[index]);
            scene_.assets.push_back({finishMesh(std::move(mesh)), {}, {}});
        }
        return at->second;
    }

    void addNodes() {
        std::vector<std::pair<const aiNode*, int>> waiting = {{source_.mRootNode, -1}};
        while (!waiting.empty()) {
            const auto [from, parent] = waiting.back();
            waiting.pop_back();
            const int index = static_cast<int>(scene_.nodes.size());
            scene_.nodes.push_back(makeNode(*from, parent));
            if (parent >= 0)
                scene_.nodes[static_cast<std::size_t>(parent)].children.push_back(index);
            for (unsigned i = from->mNumChildren; i > 0; --i)
                waiting.emplace_back(from->mChildren[i - 1], index);
        }
        scene_.scenes.push_back({{"nodes", {0}}});
    }

    Node makeNode(const aiNode& source, int parent) {
        Node node;
        node.name = source.mName.C_Str();
        node.parent = parent;
        Json matrix = Json::array();
        for (unsigned column = 0; column < 4; ++column)
            for (unsigned row = 0; row < 4; ++row)
                matrix.push_back(finiteOr(source.mTransformation[row][column], 0));
        if (!source.mTransformation.IsIdentity()) node.rest["matrix"] = std::move(matrix);
        if (source.mNumMeshes > 0) node.mesh = assetFor(source);
        return node;
    }

    const aiScene& source_;
    Scene scene_;
    std::map<std::string, int> known_;
    std::vector<int> materialOf_;
    std::map<std::string, int> textures_;
    std::vector<Part> parts_;
    std::vector<std::string> names_;
    std::map<std::vector<unsigned>, int> assets_;
};

}  // namespace

Scene convert(const aiScene& source) {
    return Converter(source).run();
}

}  // namespace flentro
