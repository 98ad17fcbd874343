// Meshes of the import library as assets: attributes, morph targets and skins.

#pragma once

#include <assimp/scene.h>

#include <map>
#include <string>
#include <vector>

#include "convert.h"
#include "materials.h"
#include "names.h"
#include "scene/scene.h"

namespace flentro {

class MeshConverter {
public:
    MeshConverter(const aiScene& source, const MaterialConverter& materials,
                  const ConvertOptions& options, Scene& scene);

    /// Index of the asset whose parts are these meshes; the same meshes are the same asset.
    /// -1 if none of them holds anything.
    int assetFor(const std::vector<unsigned>& meshes, const std::string& nodeName);

    /// True if bones move the mesh.
    [[nodiscard]] bool isSkinned(unsigned mesh) const { return source_.mMeshes[mesh]->HasBones(); }
    /// Index of the skin that moves these meshes, whose vertices refer to it.
    int skinFor(const std::vector<unsigned>& meshes, const NodeIndex& nodes);

    void tellTotals();

private:
    struct Totals {
        std::size_t smoothed = 0, empty = 0;
        std::size_t unknownBones = 0, manyWeights = 0, unusable = 0;
    };
    /// The bones of some meshes, and the number of each by name and inverse bind matrix: the same
    /// bone bound in the same way is one joint.
    struct Skeleton {
        std::vector<const aiBone*> bones;
        std::map<std::string, std::uint16_t> numbers;
    };
    [[nodiscard]] Skeleton skeletonOf(const std::vector<unsigned>& meshes) const;

    [[nodiscard]] std::vector<Part> makeParts(unsigned mesh, const Skeleton& skeleton);
    [[nodiscard]] Part withShading(Part part);

    const aiScene& source_;
    const MaterialConverter& materials_;
    const ConvertOptions& options_;
    Scene& scene_;
    std::map<std::vector<unsigned>, int> assets_;
    std::map<std::vector<unsigned>, int> skins_;
    Totals totals_;
};

}  // namespace flentro
