// Images that materials of other formats name: found, and brought into a form that glTF allows.

#pragma once

#include <assimp/scene.h>

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "io/image.h"
#include "scene/scene.h"

namespace flentro {

/// How opaque the texels of an image are, as shares of all.
struct AlphaShares {
    double clear = 0;    ///< Below 8 of 255.
    double between = 0;  ///< The rest.
    double solid = 1;    ///< Above 247.
};

/// The images of one scene under conversion. Adds them to its `images` and `textures`.
class ImageFiles {
public:
    ImageFiles(const aiScene& source, std::filesystem::path folder, Scene& scene)
        : source_(source), folder_(std::move(folder)), scene_(scene) {}

    /// Index of the image that a material names. Folders of other machines, wrong cases and
    /// backslashes are looked through: the file of that name, wherever it lies in the scene's
    /// folder. TGA, BMP, GIF and other formats become PNG. A missing file is kept by its path.
    int image(const std::string& path);

    /// Index of an image with the colours of `color` (-1: white) and the opacity of `opacity`:
    /// its alpha channel where it has one, else its brightness. -1 if `opacity` is missing.
    int withOpacity(int color, int opacity);

    /// Index of an image that has the roughness of one and the metalness of the other where
    /// glTF wants them (-1: none; the factor stands for it).
    int roughnessAndMetalness(int roughness, int metalness);

    /// Nothing for images that cannot be decoded or have no alpha channel.
    /// Each image is looked at once.
    [[nodiscard]] std::optional<AlphaShares> alphaOf(int image);

    /// True for an image that holds normals: mostly blue, as those that point outwards are.
    [[nodiscard]] bool looksLikeNormals(int image);

private:
    static constexpr int kLargestEdge = 16384;  ///< Pixels.
    [[nodiscard]] std::optional<Pixels> pixels(int image, int maxEdge = kLargestEdge);
    [[nodiscard]] std::optional<AlphaShares> measureAlpha(int image);
    int addFile(const std::string& path);
    int addEmbedded(const aiTexture& texture);
    /// As PNG where glTF does not allow its format.
    int addReadable(Image image);
    int addPng(const std::string& name, const Pixels& pixels);
    void setData(Image& image, std::vector<std::byte> data);
    [[nodiscard]] std::filesystem::path locate(const std::filesystem::path& wanted);

    const aiScene& source_;
    std::filesystem::path folder_;
    Scene& scene_;
    std::map<std::string, int> known_;
    std::map<std::pair<int, int>, int> combined_;  ///< By colour and opacity.
    std::map<std::pair<int, int>, int> packed_;    ///< By roughness and metalness.
    std::map<int, std::optional<AlphaShares>> alpha_;
    std::optional<std::map<std::string, std::vector<std::filesystem::path>>> files_;
};

}  // namespace flentro
