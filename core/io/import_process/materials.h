// Materials of the import library as glTF's.

#pragma once

#include <assimp/scene.h>

#include <map>
#include <string>
#include <vector>

#include "image_files.h"
#include "names.h"
#include "scene/scene.h"

namespace flentro {

class MaterialConverter {
public:
    MaterialConverter(const aiScene& source, ImageFiles& images, Scene& scene)
        : source_(source), images_(images), scene_(scene) {}

    /// Adds all materials of the source; those of equal value once. Tells the totals of what was
    /// guessed or left out in the scene's notes.
    void run();

    /// Index in our scene of a material of the source; -1 if there is none.
    [[nodiscard]] int materialOf(unsigned source) const {
        return source < materialOf_.size() ? materialOf_[source] : -1;
    }

private:
    void add(const aiMaterial& source);
    [[nodiscard]] Json describe(const aiMaterial& source);
    void setBase(const aiMaterial& source, Json& material);
    void setSurface(const aiMaterial& source, Json& material);
    void setOpacity(const aiMaterial& source, Json& material);
    void setEmission(const aiMaterial& source, Json& material);
    void setNormals(const aiMaterial& source, Json& material);
    [[nodiscard]] Json textureInfo(const aiMaterial& source, aiTextureType type, int image);
    [[nodiscard]] int textureFor(const aiMaterial& source, aiTextureType type, int image);
    void tellTotals();

    /// What is told once for all materials that it happened to.
    struct Totals {
        std::size_t blackColors = 0, bumpMaps = 0, turnedTextures = 0, invisible = 0;
        std::size_t cutOut = 0, blended = 0;
        std::map<std::string, std::size_t> leftOut;  ///< Kinds of textures.
    };

    const aiScene& source_;
    ImageFiles& images_;
    Scene& scene_;
    std::map<std::string, int> known_;
    std::vector<int> materialOf_;
    std::map<std::pair<int, std::string>, int> textures_;  ///< By image and sampler.
    Totals totals_;
};

}  // namespace flentro
