// The scene: a value, cheap to copy, whose heavy parts are shared and immutable.
//
// It mirrors glTF 2.0, so that nothing is lost on the way in and out: members that we do not
// interpret are kept verbatim in `rest`. The node hierarchy is flattened into `objects`, which
// everything that measures works on.

#pragma once

#include <array>
#include <filesystem>
#include <limits>
#include <memory>
#include <string>
#include <vector>

#include "base/index.h"
#include "base/json.h"
#include "base/value.h"
#include "geometry/mesh.h"

namespace flentro {

/// Something worth telling about a file that was read all the same.
struct Note {
    std::string where;  ///< The object, e.g. "mesh 3 'crate'".
    std::string what;   ///< What was repaired or left out.
};

/// Levels of detail of one asset. Level 0 is the asset's own mesh.
struct Ladder {
    struct Level {
        MeshPtr mesh;
        double deviation = 0;       ///< Metres from the asset's mesh at scale 1, sampled.
        double switchDistance = 0;  ///< Metres at scale 1; shown from here on.
        double normalError = 0;     ///< Degrees between the normals, mean, sampled.
        double textureSlide = 0;    ///< Metres that the texture lies off, mean, sampled.

        bool operator==(const Level&) const = default;
    };
    std::vector<Level> levels;  ///< LOD 1, 2, ... with rising switch distances.
    /// Crowds: at most so many copies at once at LOD 0, 1, ..., those nearest to the eye; the
    /// others show the next level with room. Levels beyond the end have room for all.
    std::vector<int> caps;
    /// Assets whose ladders name the same crowd fill the same caps; empty: each its own.
    std::string crowd;
    /// Coming nearer, a level stays until this share of its switch distance below it, 0 to 0.5.
    double hysteresis = 0;

    [[nodiscard]] bool empty() const { return levels.empty(); }
    bool operator==(const Ladder&) const = default;
};

/// Triangles of a merged mesh that came from one object.
struct MergedRange {
    std::uint32_t origin = 0;  ///< As in Object::origins.
    std::uint32_t part = 0;
    std::uint32_t first = 0;  ///< Triangle of the part.
    std::uint32_t triangles = 0;

    bool operator==(const MergedRange&) const = default;
};

/// How much fixes may take from an asset.
enum class Importance {
    Hero,  ///< Half the visible change.
    Normal,
    Backdrop,  ///< Twice the visible change.
    Keep,      ///< Stays as it is.
};

/// A mesh as the artist knows it, with its lower levels.
struct Asset {
    MeshPtr mesh;
    Ladder ladder;
    /// Names of the source assets that it was made from.
    std::vector<std::string> sources;
    Importance importance = Importance::Normal;
    /// Of level 0, if it was merged from several objects and not changed since.
    std::vector<MergedRange> ranges = {};

    [[nodiscard]] std::size_t levelCount() const { return 1 + ladder.levels.size(); }
    [[nodiscard]] const MeshPtr& level(std::size_t index) const {
        return index == 0 ? mesh : ladder.levels[index - 1].mesh;
    }
};

struct Node {
    FLENTRO_DECLARE_VALUE(Node);

    std::string name;
    int parent = -1;
    std::vector<int> children;
    Mat4d local = Mat4d::Identity();
    int mesh = -1;  ///< Index of an asset.
    int skin = -1;
    int camera = -1;
    int light = -1;
    /// EXT_mesh_gpu_instancing: local transforms of the copies, and the streams they came from.
    std::vector<Mat4d> instances;
    std::vector<Attribute> instanceStreams;
    std::vector<std::string> instanceNames;  ///< Of the copies, where they have names; or empty.
    Json rest;  ///< Translation, rotation, scale, extras, other extensions: verbatim.
};

/// When an object is left out, by its distance from the eye.
struct Culling {
    double fadeStart = std::numeric_limits<double>::infinity();  ///< Metres.
    double end = std::numeric_limits<double>::infinity();        ///< Metres; gone from here on.
    double shadowEnd = std::numeric_limits<double>::infinity();  ///< Metres; casts no shadow.
    double start = 0;  ///< Metres; only shown from here on: far stand-ins.

    bool operator==(const Culling&) const = default;
};

/// One placed copy of an asset.
struct Object {
    std::string name;  ///< The node's name, with "[i]" for instances.
    int node = -1;
    int instance = -1;  ///< Index in Node::instances, or -1.
    int asset = -1;
    Mat4d world = Mat4d::Identity();
    Box bounds;        ///< World space, metres; empty if the mesh has no vertices.
    double scale = 1;  ///< Longest axis of `world`.
    bool castsShadow = true;
    Culling culling;
    /// Objects of the scene as it was read that this one shows: one, but for merged geometry.
    std::vector<std::uint32_t> origins;
    /// The far stand-in that shows this one, and others, from its `culling.start` on; or -1.
    int standIn = -1;
};

struct Image {
    FLENTRO_DECLARE_VALUE(Image);

    std::string name;
    std::string uri;                                     ///< As in the file; empty if embedded.
    std::string mime;                                    ///< image/png, image/jpeg, ...
    std::shared_ptr<const std::vector<std::byte>> data;  ///< Encoded; null if missing.
    int width = 0;                                       ///< Pixels; 0 if unknown.
    int height = 0;
    int channels = 0;
    Hash hash;  ///< Of the encoded bytes.
    Json rest;
    Hash madeFrom = {};  ///< Hash of the image as it was read that this is a smaller copy of.

    /// The hash of the image as it was read.
    [[nodiscard]] const Hash& source() const { return madeFrom == Hash{} ? hash : madeFrom; }
};

struct Sampler {
    int minFilter = 9987;  ///< glTF code; 9987: linear with mip maps.
    Json rest;             ///< All members, verbatim.
    [[nodiscard]] bool usesMipMaps() const { return minFilter >= 9984; }
};

struct Texture {
    std::string name;
    int image = -1;
    int sampler = -1;
    Json rest = {};
    /// KHR_texture_basisu or EXT_texture_webp: the same image in another format, for programs
    /// that read it; `image` is what it falls back to, or the same.
    std::string formatExtension = {};
    int formatImage = -1;
};

enum class AlphaMode { Opaque, Mask, Blend };

struct TextureUse {
    std::string role;  ///< baseColorTexture, normalTexture, ...
    int texture = -1;
    int texCoord = 0;  ///< With what KHR_texture_transform says.
    /// KHR_texture_transform: coordinates (u, v, 1) are looked up at this times them.
    Eigen::Matrix<float, 2, 3> transform = Eigen::Matrix<float, 2, 3>::Identity();

    /// Where the image is looked up for stored coordinates.
    [[nodiscard]] Vec2f lookUp(const Vec2f& coords) const {
        const auto row = [&](int r) {
            return transform(r, 0) * coords.x() + transform(r, 1) * coords.y() + transform(r, 2);
        };
        return {row(0), row(1)};
    }
    [[nodiscard]] bool isMoved() const;
};

struct Material {
    FLENTRO_DECLARE_VALUE(Material);

    std::string name;
    Vec4f baseColor = Vec4f::Ones();
    Vec3f emissive = Vec3f::Zero();  ///< With KHR_materials_emissive_strength.
    float metallic = 1;
    float roughness = 1;
    AlphaMode alphaMode = AlphaMode::Opaque;
    float alphaCutoff = 0.5F;
    bool doubleSided = false;
    bool unlit = false;
    std::vector<TextureUse> textures;
    Json source;  ///< The whole glTF material, written back verbatim.

    /// Index of the texture in `role`, or -1.
    [[nodiscard]] int texture(std::string_view role) const;
};

enum class LightType { Directional, Point, Spot };

struct Light {
    std::string name;
    LightType type = LightType::Point;
    Vec3f color = Vec3f::Ones();
    float intensity = 1;  ///< Candela, or lux for directional lights.
    float range = std::numeric_limits<float>::infinity();  ///< Metres.
    Json rest;                                             ///< The whole glTF light.
};

struct PlacedLight {
    std::string name;
    int node = -1;
    int light = -1;
    Vec3d position = Vec3d::Zero();
    double range = std::numeric_limits<double>::infinity();  ///< Metres in world space.
    bool castsShadow = false;  ///< From extras.castsShadow of the node or light.
    /// By the distance of its position from the eye: it fades, and is gone.
    double fadeStart = std::numeric_limits<double>::infinity();  ///< Metres.
    double end = std::numeric_limits<double>::infinity();        ///< Metres.
    double shadowEnd = std::numeric_limits<double>::infinity();  ///< Metres; no shadow from here.
    /// Placed lights of the scene as it was read that this one stands for.
    std::vector<std::uint32_t> origins;

    /// Share of its light that is shown to `eye`: 1 up to where it fades, 0 from where it ends.
    [[nodiscard]] double fadeFor(const Vec3d& eye) const;
    /// True if it casts a shadow as seen from `eye`; from nowhere (NaN) at any distance.
    [[nodiscard]] bool castsShadowFor(const Vec3d& eye) const;
};

struct Skin {
    std::vector<int> joints;
    StreamPtr inverseBind;  ///< May be null.
    Json rest;
};

/// Samplers refer to `Scene::streams`.
struct Animation {
    struct Sampler {
        int input = -1;
        int output = -1;
        Json rest;
    };
    std::string name;
    std::vector<Sampler> samplers;
    Json channels;
    Json rest;
};

/// Lengths and axis of the file that a scene was read from, to be told: the scene itself is in
/// metres with Y up.
struct SourceUnits {
    std::string unit = "m";    ///< Key of a LengthUnit.
    char up = 'Y';             ///< Or 'Z'.
    bool unitGuessed = false;  ///< The file does not say, and nobody was asked.
    bool upGuessed = false;
    double unitProbability = 1;  ///< Of the guess to be right.
    double upProbability = 1;
    std::string secondUnit = {};  ///< What it is else, most likely.
    std::string unitReason = {};
    std::string upReason = {};
    std::string doubt = {};  ///< Why what the file says may be wrong.
};

struct Scene {
    FLENTRO_DECLARE_VALUE(Scene);

    std::string name;
    std::vector<Node> nodes;
    std::vector<Json> scenes;  ///< glTF scenes with their root nodes, verbatim.
    int defaultScene = 0;
    std::vector<Object> objects;  ///< Of the default scene, in node order.
    std::vector<Asset> assets;
    std::vector<Material> materials;
    std::vector<Texture> textures;
    std::vector<Sampler> samplers;
    std::vector<Image> images;
    std::vector<Light> lights;
    std::vector<PlacedLight> placedLights;
    std::vector<Json> cameras;
    std::vector<Skin> skins;
    std::vector<Animation> animations;
    std::vector<StreamPtr> streams;  ///< Animation data.
    /// Lights that cast shadows at once, the strongest at the eye; 0: all that can.
    int shadowLightsAtOnce = 0;
    Json rest;  ///< asset, extras, other extensions of the document.
    std::vector<Note> notes;
    SourceUnits sourceUnits;
    /// [origins] Names of the objects as they were read.
    std::shared_ptr<const std::vector<std::string>> originNames;
    /// Every file that it was read from: never to be written.
    std::vector<std::filesystem::path> files;

    [[nodiscard]] const Asset& asset(const Object& object) const {
        return elementOf(assets, object.asset);
    }
    [[nodiscard]] Asset& asset(const Object& object) { return elementOf(assets, object.asset); }
    [[nodiscard]] const Mesh& mesh(const Object& object) const {
        return *elementOf(assets, object.asset).mesh;
    }
    /// The image of a texture; -1 for -1 and for textures without one.
    [[nodiscard]] int imageOf(int texture) const {
        return texture < 0 ? -1 : elementOf(textures, texture).image;
    }
    [[nodiscard]] Box bounds() const;
};

/// What the pixels of visible change that a fix allows are multiplied by; 0 for Keep.
[[nodiscard]] double errorScale(Importance importance);

/// Calls visit(index) for every node, those above before those below.
template <typename Visit>
void visitDown(const std::vector<Node>& nodes, Visit&& visit) {
    std::vector<int> waiting;
    for (std::size_t i = 0; i < nodes.size(); ++i)
        if (nodes[i].parent < 0) waiting.push_back(static_cast<int>(i));
    while (!waiting.empty()) {
        const auto index = static_cast<std::size_t>(waiting.back());
        waiting.pop_back();
        visit(index);
        waiting.insert(waiting.end(), nodes[index].children.begin(), nodes[index].children.end());
    }
}

/// World transform of every node. Nodes form a forest (the reader makes sure).
[[nodiscard]] std::vector<Mat4d> worldTransforms(const std::vector<Node>& nodes);

/// Numbers the origins of objects and placed lights anew, one each, and takes the objects' names.
void numberOrigins(Scene& scene);

/// Fills `objects`, `placedLights` and `originNames` from the nodes below the default scene's
/// roots. Culling of objects that exist already (same node and instance) is kept.
void flatten(Scene& scene);

/// Content hash of all that a scene holds but `sourceUnits`, names and files as well: equal hashes,
/// equal results.
/// Cost: O(nodes + objects + assets + JSON); streams of meshes were hashed when those were
/// finished, the others are hashed here.
[[nodiscard]] Hash hashScene(const Scene& scene);

}  // namespace flentro
