#include "scene_builder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/index.h"
#include "base/parallel.h"
#include "io/gltf_materials.h"
#include "io/image.h"

namespace flentro::demo {
namespace {

Json toArray(const Vec3f& v) {
    return {v.x(), v.y(), v.z()};
}

/// Translation, rotation and scale of a transform without shear.
Json decompose(const Mat4f& m) {
    Vec3f scale = m.topLeftCorner<3, 3>().colwise().norm();
    Eigen::Matrix3f turn = m.topLeftCorner<3, 3>() * scale.cwiseInverse().asDiagonal();
    if (turn.determinant() < 0) {
        turn.col(0) *= -1;
        scale.x() *= -1;
    }
    const Eigen::Quaternionf q = Eigen::Quaternionf(turn).normalized();
    Json rest;
    rest["translation"] = toArray(m.topRightCorner<3, 1>());
    if (!turn.isIdentity(1e-6F)) rest["rotation"] = {q.x(), q.y(), q.z(), q.w()};
    if (!scale.isOnes(1e-6F)) rest["scale"] = toArray(scale);
    return rest;
}

}  // namespace

void setTransform(Node& node, const Mat4f& transform) {
    node.local = transform.cast<double>();
    if (node.rest.is_null()) node.rest = Json::object();
    for (const char* member : {"translation", "rotation", "scale", "matrix"})
        node.rest.erase(member);
    node.rest.update(decompose(transform));
}

Image pngImage(const std::string& name, const std::uint8_t* pixels, int width, int height,
               int channels) {
    auto data =
        std::make_shared<const std::vector<std::byte>>(encodePng(pixels, width, height, channels));
    Image image;
    image.name = name;
    image.mime = "image/png";
    image.width = width;
    image.height = height;
    image.channels = channels;
    image.hash = hashBytes(*data);
    image.data = std::move(data);
    return image;
}

void animatePath(Scene& scene, int node, const std::string& name, const std::vector<Vec3f>& path,
                 float speed) {
    Stream times;
    times.components = 1;
    times.data.resize(path.size() * sizeof(float));
    float now = 0;
    for (std::size_t i = 0; i < path.size(); ++i) {
        if (i > 0) now += (path[i] - path[i - 1]).norm() / speed;
        times.set(i, 0, now);
    }
    scene.streams.push_back(std::make_shared<const Stream>(std::move(times)));
    scene.streams.push_back(std::make_shared<const Stream>(makeStream(path)));
    Animation animation;
    animation.name = name;
    const auto last = static_cast<int>(scene.streams.size()) - 1;
    animation.samplers.push_back({last - 1, last, {{"interpolation", "LINEAR"}}});
    animation.channels = {{{"sampler", 0}, {"target", {{"node", node}, {"path", "translation"}}}}};
    scene.animations.push_back(std::move(animation));
}

SceneBuilder::SceneBuilder(Detail detail) : detail_(detail) {
    scene_.name = "Ottermere Lock";
    scene_.rest = {{"asset", {{"version", "2.0"}, {"copyright", "CC0: a made-up place"}}}};
    Sampler sampler;
    sampler.rest = {{"minFilter", 9987}, {"magFilter", 9729}};
    scene_.samplers.push_back(sampler);
}

void SceneBuilder::picture(const std::string& name, int edge, Painter painter) {
    picture({name, detail_.edge(edge), detail_.edge(edge), 3, std::move(painter)});
}

void SceneBuilder::picture(PictureRecipe recipe) {
    pictures_[recipe.name] = static_cast<int>(recipes_.size());
    recipes_.push_back(std::move(recipe));
}

int SceneBuilder::textureFor(const std::string& picture) {
    const int image = pictures_.at(picture);
    for (std::size_t i = 0; i < scene_.textures.size(); ++i)
        if (scene_.textures[i].image == image) return static_cast<int>(i);
    Texture texture;
    texture.name = picture;
    texture.image = image;
    texture.sampler = 0;
    scene_.textures.push_back(texture);
    return static_cast<int>(scene_.textures.size()) - 1;
}

int SceneBuilder::material(const MaterialLook& look) {
    Json source = {{"name", look.name}};
    Json& pbr = source["pbrMetallicRoughness"];
    pbr["baseColorFactor"] = {look.color.x(), look.color.y(), look.color.z(), look.color.w()};
    pbr["roughnessFactor"] = look.roughness;
    pbr["metallicFactor"] = look.metallic;
    if (!look.texture.empty()) pbr["baseColorTexture"]["index"] = textureFor(look.texture);
    if (!look.normalTexture.empty())
        source["normalTexture"]["index"] = textureFor(look.normalTexture);
    const float strength = look.emissive.maxCoeff();
    if (strength > 0) source["emissiveFactor"] = toArray(look.emissive / std::max(1.0F, strength));
    if (strength > 1)
        source["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] = strength;
    if (look.alphaMode == AlphaMode::Blend) source["alphaMode"] = "BLEND";
    if (look.alphaMode == AlphaMode::Mask) source["alphaMode"] = "MASK";
    if (look.doubleSided) source["doubleSided"] = true;
    scene_.materials.push_back(parseMaterial(source));
    return materials_[look.name] = static_cast<int>(scene_.materials.size()) - 1;
}

int SceneBuilder::asset(MeshPtr mesh) {
    const std::string name = mesh->name;
    scene_.assets.push_back({std::move(mesh), {}, {name}});
    return static_cast<int>(scene_.assets.size()) - 1;
}

int SceneBuilder::addNode(Node node) {
    scene_.nodes.push_back(std::move(node));
    return static_cast<int>(scene_.nodes.size()) - 1;
}

int SceneBuilder::place(int asset, const std::string& name, const Mat4f& transform, Json extras) {
    Node node;
    node.name = name;
    node.mesh = asset;
    setTransform(node, transform);
    if (!extras.empty()) node.rest["extras"] = std::move(extras);
    return addNode(std::move(node));
}

int SceneBuilder::placeFigure(int asset, const std::string& name, const Mat4f& transform,
                              const std::vector<Joint>& joints) {
    const auto below = [&](int parent, Node node) {
        node.parent = parent;
        const int index = addNode(std::move(node));
        elementOf(scene_.nodes, parent).children.push_back(index);
        return index;
    };
    Node group;
    group.name = name + " joints";
    setTransform(group, transform);
    const int root = addNode(std::move(group));
    const int first = root + 1;
    Skin skin;
    Stream inverseBind{ComponentType::Float32, 16, false, true, {}};
    inverseBind.data.resize(joints.size() * inverseBind.elementSize());
    for (std::size_t i = 0; i < joints.size(); ++i) {
        const Joint& joint = joints[i];
        const Vec3f from = joint.parent < 0 ? Vec3f::Zero() : elementOf(joints, joint.parent).at;
        Node node;
        node.name = name + " " + joint.name;
        const Vec3f offset = joint.at - from;
        setTransform(node, translation(offset.x(), offset.y(), offset.z()));
        skin.joints.push_back(
            below(joint.parent < 0 ? root : first + joint.parent, std::move(node)));
        const Mat4f bind = translation(-joint.at.x(), -joint.at.y(), -joint.at.z());
        for (int k = 0; k < 16; ++k) inverseBind.set(i, k, bind(k % 4, k / 4));
    }
    skin.inverseBind = std::make_shared<const Stream>(std::move(inverseBind));
    skin.rest = Json::object();
    scene_.skins.push_back(std::move(skin));
    Node body;
    body.name = name;
    body.mesh = asset;
    body.skin = static_cast<int>(scene_.skins.size()) - 1;
    body.rest = Json::object();
    addNode(std::move(body));  // at the root: its own place means nothing, its joints have one
    return first;
}

void SceneBuilder::animateFigures(const std::string& name, const std::vector<int>& figures,
                                  Stream times, const std::vector<BoneMotion>& motions) {
    const auto input = static_cast<int>(scene_.streams.size());
    scene_.streams.push_back(std::make_shared<const Stream>(std::move(times)));
    Animation animation;
    animation.name = name;
    animation.channels = Json::array();
    for (const BoneMotion& motion : motions) {
        scene_.streams.push_back(std::make_shared<const Stream>(motion.values));
        const auto output = static_cast<int>(scene_.streams.size()) - 1;
        for (const int figure : figures)
            animation.channels.push_back(
                {{"sampler", animation.samplers.size()},
                 {"target", {{"node", figure + motion.joint}, {"path", motion.path}}}});
        animation.samplers.push_back({input, output, {{"interpolation", "LINEAR"}}});
    }
    scene_.animations.push_back(std::move(animation));
}

void SceneBuilder::placeAside(int asset, const std::string& name) {
    aside_.push_back(place(asset, name, Mat4f::Identity()));
}

int SceneBuilder::light(const std::string& name, const Vec3f& position, const Vec3f& color,
                        float intensity, float range, bool castsShadow) {
    Light light;
    light.name = name;
    light.color = color;
    light.intensity = intensity;
    light.range = range;
    light.rest = {{"name", name},
                  {"type", "point"},
                  {"color", toArray(color)},
                  {"intensity", intensity},
                  {"range", range}};
    scene_.lights.push_back(light);
    Node node;
    node.name = name;
    node.light = static_cast<int>(scene_.lights.size()) - 1;
    node.local.topRightCorner<3, 1>() = position.cast<double>();
    node.rest["translation"] = toArray(position);
    if (castsShadow) node.rest["extras"]["castsShadow"] = true;
    return addNode(std::move(node));
}

int SceneBuilder::camera(const std::string& name, const Vec3f& position, float heading, float fov) {
    scene_.cameras.push_back(
        {{"name", name},
         {"type", "perspective"},
         {"perspective", {{"yfov", toRadians(fov)}, {"znear", 0.1}, {"zfar", 4000}}}});
    Node node;
    node.name = name;
    node.camera = static_cast<int>(scene_.cameras.size()) - 1;
    const Mat4f transform =
        translation(position.x(), position.y(), position.z()) * rotationY(-heading);
    setTransform(node, transform);
    return addNode(std::move(node));
}

/// `moved`: where the original's nodes are in this copy.
void SceneBuilder::copyNode(const Node& original, const Vec3d& shift, const std::string& suffix,
                            const std::vector<int>& moved) {
    Node node = original;
    node.name += suffix;
    for (int& child : node.children) child = elementOf(moved, child);
    if (node.parent >= 0)
        node.parent = elementOf(moved, node.parent);
    else if (node.skin < 0) {
        node.local.topRightCorner<3, 1>() += shift;
        for (std::size_t i = 0; i < 3; ++i)
            node.rest["translation"][i] = node.local(static_cast<int>(i), 3);
    }
    if (node.skin >= 0) {
        Skin skin = elementOf(scene_.skins, node.skin);
        for (int& joint : skin.joints) joint = elementOf(moved, joint);
        scene_.skins.push_back(std::move(skin));
        node.skin = static_cast<int>(scene_.skins.size()) - 1;
    }
    scene_.nodes.push_back(std::move(node));
}

float SceneBuilder::repeat(int copies, float spacing) {
    const std::vector<Node> original = scene_.nodes;
    const auto isCopied = [&](std::size_t i) {
        return original[i].camera < 0 &&
               std::find(aside_.begin(), aside_.end(), static_cast<int>(i)) == aside_.end();
    };
    const int columns = static_cast<int>(std::ceil(std::sqrt(copies)));
    for (int copy = 1; copy < copies; ++copy) {
        const int column = copy % columns;
        const int row = copy / columns;
        const Vec3d shift(spacing * column, 0, spacing * row);
        std::vector<int> moved(original.size(), -1);
        auto next = static_cast<int>(scene_.nodes.size());
        for (std::size_t i = 0; i < original.size(); ++i)
            if (isCopied(i)) moved[i] = next++;
        for (std::size_t i = 0; i < original.size(); ++i)
            if (isCopied(i)) copyNode(original[i], shift, fmt::format(" #{}", copy + 1), moved);
    }
    return spacing * static_cast<float>(columns - 1);
}

Scene SceneBuilder::finish() {
    scene_.images.resize(recipes_.size());
    parallelEach(recipes_.size(), [&](std::size_t i) {
        const Picture picture = paint(recipes_[i]);
        scene_.images[i] = pngImage(picture.name, picture.pixels.data(), picture.width,
                                    picture.height, picture.channels);
    });
    Json roots = Json::array();
    for (std::size_t i = 0; i < scene_.nodes.size(); ++i)
        if (scene_.nodes[i].parent < 0 &&
            std::find(aside_.begin(), aside_.end(), static_cast<int>(i)) == aside_.end())
            roots.push_back(i);
    scene_.scenes.push_back({{"name", scene_.name}, {"nodes", roots}});
    if (!aside_.empty()) scene_.scenes.push_back({{"name", "for tools"}, {"nodes", aside_}});
    flatten(scene_);
    return std::move(scene_);
}

}  // namespace flentro::demo
