#include "convert.h"
#include "base/index.h"

#include <algorithm>
#include <set>
#include <utility>

#include "image_files.h"
#include "materials.h"
#include "meshes.h"
#include "motion.h"
#include "names.h"

namespace flentro {
namespace {

class Converter {
public:
    Converter(const aiScene& source, const ConvertOptions& options)
        : source_(source),
          images_(source, options.folder, scene_),
          materials_(source, images_, scene_),
          meshes_(source, materials_, options, scene_) {}

    Scene run() {
        materials_.run();
        animated_ = animatedNodes(source_);
        addNodes();
        addMeshes();
        addCameras(source_, nodeIndex_, scene_);
        addLights(source_, nodeIndex_, sizeOf(scene_), scene_);
        addAnimations(source_, nodeIndex_, scene_);
        meshes_.tellTotals();
        scene_.rest = {{"asset", {{"version", "2.0"}}}};
        flatten(scene_);
        return std::move(scene_);
    }

private:
    void addNodes() {
        std::vector<std::pair<const aiNode*, int>> waiting = {{source_.mRootNode, -1}};
        while (!waiting.empty()) {
            const auto [from, parent] = waiting.back();
            waiting.pop_back();
            const int index = addNode(*from, parent);
            nodes_.push_back(from);
            nodeIndex_.emplace(from->mName.C_Str(), index);
            for (unsigned i = from->mNumChildren; i > 0; --i)
                waiting.emplace_back(from->mChildren[i - 1], index);
        }
        scene_.scenes.push_back({{"nodes", {0}}});
    }

    int addNode(const aiNode& source, int parent) {
        const int index = static_cast<int>(scene_.nodes.size());
        Node node;
        node.name = source.mName.C_Str();
        node.parent = parent;
        if (animated_.contains(node.name))
            node.rest = toComponents(source.mTransformation);
        else if (!source.mTransformation.IsIdentity())
            node.rest["matrix"] = toJson(source.mTransformation);
        const Json matrix = toJson(source.mTransformation);
        for (int i = 0; i < 16; ++i) node.local(i % 4, i / 4) = elementOf(matrix, i).get<double>();
        scene_.nodes.push_back(std::move(node));
        if (parent >= 0) elementOf(scene_.nodes, parent).children.push_back(index);
        return index;
    }

    void addMeshes() {
        for (std::size_t i = 0; i < nodes_.size(); ++i) {
            std::vector<unsigned> rigid, skinned;
            for (unsigned m = 0; m < nodes_[i]->mNumMeshes; ++m) {
                const unsigned mesh = nodes_[i]->mMeshes[m];
                (meshes_.isSkinned(mesh) ? skinned : rigid).push_back(mesh);
            }
            place(rigid, i, false);
            place(skinned, !rigid.empty() && !skinned.empty() ? addBeside(i) : i, true);
        }
    }

    void place(const std::vector<unsigned>& meshes, std::size_t at, bool isSkinned) {
        if (meshes.empty()) return;
        const int asset = meshes_.assetFor(meshes, scene_.nodes[at].name);
        scene_.nodes[at].mesh = asset;
        if (isSkinned && asset >= 0) scene_.nodes[at].skin = meshes_.skinFor(meshes, nodeIndex_);
    }

    /// A node for the skinned meshes of one that has others as well: glTF moves all or none.
    std::size_t addBeside(std::size_t parent) {
        Node node;
        node.name = scene_.nodes[parent].name + " skinned";
        node.parent = static_cast<int>(parent);
        scene_.nodes.push_back(std::move(node));
        scene_.nodes[parent].children.push_back(static_cast<int>(scene_.nodes.size()) - 1);
        return scene_.nodes.size() - 1;
    }

    static double sizeOf(Scene& scene) {
        flatten(scene);
        const Box box = scene.bounds();
        return box.isEmpty() ? 10 : std::max(box.sizes().maxCoeff(), 1e-3);
    }

    const aiScene& source_;
    Scene scene_;
    ImageFiles images_;
    MaterialConverter materials_;
    MeshConverter meshes_;
    std::vector<const aiNode*> nodes_;
    NodeIndex nodeIndex_;
    std::set<std::string> animated_;
};

}  // namespace

Scene convert(const aiScene& source, const ConvertOptions& options) {
    return Converter(source, options).run();
}

}  // namespace flentro
