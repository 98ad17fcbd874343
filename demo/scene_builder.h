// A scene under construction: materials, assets and placed things by name.

#pragma once

#include <cmath>
#include <map>
#include <string>
#include <vector>

#include "mesh_builder.h"
#include "scene/scene.h"
#include "textures.h"

namespace flentro::demo {

/// How much of everything: 1 for the full scene.
struct Detail {
    double mesh = 1;     ///< Tessellation, by length.
    double count = 1;    ///< Copies of small things.
    int texture = 1024;  ///< Largest edge of ordinary textures, pixels.

    /// A number of segments, never below three.
    [[nodiscard]] int segments(int full) const {
        return std::max(3, static_cast<int>(std::lround(full * mesh)));
    }
    [[nodiscard]] int copies(int full) const {
        return std::max(1, static_cast<int>(std::lround(full * count)));
    }
    [[nodiscard]] int edge(int full) const { return std::min(full, full * texture / 1024); }
};

/// Gives a node a transform without shear.
void setTransform(Node& node, const Mat4f& transform);

/// An image of 8-bit pixels [height * width * channels], encoded as PNG.
[[nodiscard]] Image pngImage(const std::string& name, const std::uint8_t* pixels, int width,
                             int height, int channels);

/// Moves a node along straight lines through `path` at `speed` metres a second.
void animatePath(Scene& scene, int node, const std::string& name, const std::vector<Vec3f>& path,
                 float speed);

struct MaterialLook {
    std::string name;
    std::string texture;  ///< Base colour; empty: none.
    Vec4f color = Vec4f::Ones();
    float roughness = 0.9F;
    float metallic = 0;
    Vec3f emissive = Vec3f::Zero();
    std::string normalTexture;
    AlphaMode alphaMode = AlphaMode::Opaque;
    bool doubleSided = false;
};

/// A joint of a figure as it stands, in the figure's own space.
struct Joint {
    std::string name;
    int parent = -1;  ///< One before it; -1: none.
    Vec3f at = Vec3f::Zero();
};

/// What one joint of every figure does in a clip.
struct BoneMotion {
    int joint = 0;
    const char* path;  ///< "rotation", "translation"
    Stream values;     ///< One for each time.
};

class SceneBuilder {
public:
    explicit SceneBuilder(Detail detail);

    [[nodiscard]] const Detail& detail() const { return detail_; }

    /// Pictures are painted all at once by finish(), on all cores.
    void picture(const std::string& name, int edge, Painter painter);
    void picture(PictureRecipe recipe);

    int material(const MaterialLook& look);
    [[nodiscard]] int material(const std::string& name) const { return materials_.at(name); }

    int asset(MeshPtr mesh);

    /// Places an asset; returns its node. `extras` go into the node.
    int place(int asset, const std::string& name, const Mat4f& transform,
              Json extras = Json::object());
    /// Places a skinned asset with joints of its own; returns the node of the first joint, which
    /// the others follow.
    int placeFigure(int asset, const std::string& name, const Mat4f& transform,
                    const std::vector<Joint>& joints);
    /// One clip for all figures, whose joints share its samplers. `figures`: nodes of first joints.
    void animateFigures(const std::string& name, const std::vector<int>& figures, Stream times,
                        const std::vector<BoneMotion>& motions);
    /// A mesh that is neither drawn nor counted, in a scene of its own: for tools.
    void placeAside(int asset, const std::string& name);
    int light(const std::string& name, const Vec3f& position, const Vec3f& color, float intensity,
              float range, bool castsShadow);
    /// Returns its node.
    int camera(const std::string& name, const Vec3f& position, float heading, float fov);

    void animatePath(int node, const std::string& name, const std::vector<Vec3f>& path,
                     float speed) {
        demo::animatePath(scene_, node, name, path, speed);
    }

    /// Lays everything placed so far out `copies` times in a square grid of `spacing` metres, to
    /// the east and south. Returns how much further that reaches, in metres.
    float repeat(int copies, float spacing);

    [[nodiscard]] Scene finish();

private:
    int addNode(Node node);
    void copyNode(const Node& original, const Vec3d& shift, const std::string& suffix,
                  const std::vector<int>& moved);
    [[nodiscard]] int textureFor(const std::string& picture);

    Detail detail_;
    Scene scene_;
    std::vector<PictureRecipe> recipes_;
    std::vector<int> aside_;  ///< Nodes.
    std::map<std::string, int> pictures_;
    std::map<std::string, int> materials_;
};

}  // namespace flentro::demo
