#include "scene/scene.h"

#include <fmt/format.h>

#include <functional>
#include <map>

#include "base/index.h"
#include "scene/poses.h"
#include "scene/texture_use.h"

namespace flentro {
namespace {

/// A skinned mesh ignores its node; in the rest pose it stands where its first joint puts it.
Mat4d restPose(const Scene& scene, const Node& node, const std::vector<Mat4d>& worlds) {
    const Skin& skin = elementOf(scene.skins, node.skin);
    if (skin.joints.empty()) return Mat4d::Identity();
    return elementOf(worlds, skin.joints.front()) * inverseBindOf(skin, 0);
}

std::string nameOf(const Node& node, int instance) {
    if (instance < 0) return node.name;
    const auto index = static_cast<std::size_t>(instance);
    if (index < node.instanceNames.size()) return node.instanceNames[index];
    return fmt::format("{}[{}]", node.name, instance);
}

Object makeObject(const Scene& scene, int nodeIndex, int instance, const Mat4d& world) {
    const Node& node = elementOf(scene.nodes, nodeIndex);
    Object object;
    object.name = nameOf(node, instance);
    object.node = nodeIndex;
    object.instance = instance;
    object.asset = node.mesh;
    object.world = world;
    object.bounds = transformBox(world, scene.mesh(object).bounds);
    object.scale = maxScale(world);
    object.castsShadow = jsonOr(jsonObject(node.rest, "extras"), "castsShadow", true);
    return object;
}

void addObjects(Scene& scene, int nodeIndex, const std::vector<Mat4d>& worlds) {
    const Node& node = elementOf(scene.nodes, nodeIndex);
    if (node.mesh < 0) return;
    Mat4d world = elementOf(worlds, nodeIndex);
    if (node.skin >= 0) world = restPose(scene, node, worlds);
    if (node.instances.empty()) {
        scene.objects.push_back(makeObject(scene, nodeIndex, -1, world));
        return;
    }
    for (std::size_t i = 0; i < node.instances.size(); ++i)
        scene.objects.push_back(
            makeObject(scene, nodeIndex, static_cast<int>(i), world * node.instances[i]));
}

void addLight(Scene& scene, int nodeIndex, const std::vector<Mat4d>& worlds) {
    const Node& node = elementOf(scene.nodes, nodeIndex);
    if (node.light < 0) return;
    const Light& light = elementOf(scene.lights, node.light);
    PlacedLight placed;
    placed.name = node.name.empty() ? light.name : node.name;
    placed.node = nodeIndex;
    placed.light = node.light;
    placed.position = elementOf(worlds, nodeIndex).topRightCorner<3, 1>();
    if (light.type != LightType::Directional) placed.range = light.range;
    const bool byLight = jsonOr(jsonObject(light.rest, "extras"), "castsShadow", false);
    placed.castsShadow = jsonOr(jsonObject(node.rest, "extras"), "castsShadow", byLight);
    scene.placedLights.push_back(placed);
}

std::vector<int> rootsOf(const Scene& scene) {
    std::vector<int> roots;
    if (scene.defaultScene < static_cast<int>(scene.scenes.size())) {
        const Json& first = elementOf(scene.scenes, scene.defaultScene);
        for (const Json& root : jsonArray(first, "nodes")) roots.push_back(root.get<int>());
        return roots;
    }
    for (std::size_t i = 0; i < scene.nodes.size(); ++i)
        if (scene.nodes[i].parent < 0) roots.push_back(static_cast<int>(i));
    return roots;
}

/// Depth first, without recursion: chains of nodes can be long.
std::vector<int> nodesBelow(const Scene& scene, const std::vector<int>& roots) {
    std::vector<int> order;
    std::vector<int> waiting(roots.rbegin(), roots.rend());
    while (!waiting.empty()) {
        const int index = waiting.back();
        waiting.pop_back();
        order.push_back(index);
        const auto& children = elementOf(scene.nodes, index).children;
        waiting.insert(waiting.end(), children.rbegin(), children.rend());
    }
    return order;
}

/// Every value a scene can hold, member by member: whatever is not here would be shown from a
/// cache after it has changed.
class SceneHasher {
public:
    Hash run(const Scene& scene) {
        add(scene.name).add(scene.defaultScene).add(scene.rest);
        addAll(scene.nodes);
        addAll(scene.scenes);
        addAll(scene.objects);
        addAll(scene.assets);
        addAll(scene.materials);
        addAll(scene.textures);
        addAll(scene.samplers);
        addAll(scene.images);
        addAll(scene.lights);
        addAll(scene.placedLights);
        addAll(scene.cameras);
        add(scene.shadowLightsAtOnce);
        addAll(scene.skins);
        addAll(scene.animations);
        addAll(scene.streams);
        addAll(scene.notes);
        if (scene.originNames) addAll(*scene.originNames);
        addAll(scene.files);
        return hasher_.result();
    }

private:
    template <typename T>
    void addAll(const std::vector<T>& values) {
        hasher_.add(values.size());
        for (const T& value : values) add(value);
    }
    template <typename T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T> SceneHasher& add(T value) {
        hasher_.add(value);
        return *this;
    }
    SceneHasher& add(const std::string& text) {
        hasher_.text(text);
        return *this;
    }
    SceneHasher& add(const std::filesystem::path& path) { return add(path.string()); }

    template <typename Scalar, int Rows, int Columns>
    SceneHasher& add(const Eigen::Matrix<Scalar, Rows, Columns>& values) {
        hasher_.bytes(std::as_bytes(std::span(values.data(), Rows * Columns)));
        return *this;
    }
    SceneHasher& add(const Box& box) { return add(Vec3d(box.min())).add(Vec3d(box.max())); }

    SceneHasher& add(const Json& json) {
        // Whole numbers are signed or not by where they came from.
        hasher_.add(json.is_number_integer() ? Json::value_t::number_integer : json.type());
        if (json.is_structured()) hasher_.add(json.size());
        if (json.is_object())
            for (const auto& [key, value] : json.items()) add(key).add(value);
        else if (json.is_array())
            for (const Json& value : json) add(value);
        else if (json.is_string())
            add(json.get_ref<const std::string&>());
        else if (json.is_number_float())
            add(json.get<double>());
        else if (json.is_number())
            add(json.get<std::int64_t>());
        else if (json.is_boolean())
            add(json.get<bool>());
        return *this;
    }

    /// Streams are large and shared by nodes and skins; each is hashed once.
    SceneHasher& add(const StreamPtr& stream) {
        if (!stream) return add(false);
        auto& known = streams_[stream.get()];
        if (known == Hash{}) known = stream->hash();
        hasher_.add(known);
        return *this;
    }
    SceneHasher& add(const Attribute& attribute) {
        return add(attribute.semantic).add(attribute.stream);
    }
    SceneHasher& add(const MeshPtr& mesh) {
        hasher_.text(mesh->name).add(mesh->hash);
        return *this;
    }
    SceneHasher& add(const Ladder::Level& level) {
        return add(level.mesh)
            .add(level.deviation)
            .add(level.switchDistance)
            .add(level.normalError)
            .add(level.textureSlide);
    }
    SceneHasher& add(const MergedRange& range) {
        return add(range.origin).add(range.part).add(range.first).add(range.triangles);
    }
    SceneHasher& add(const Asset& asset) {
        add(asset.mesh).add(asset.importance);
        add(asset.ladder.hysteresis).add(asset.ladder.crowd);
        addAll(asset.ladder.levels);
        addAll(asset.ladder.caps);
        addAll(asset.sources);
        addAll(asset.ranges);
        return *this;
    }
    SceneHasher& add(const Node& node) {
        add(node.name).add(node.parent).add(node.local).add(node.mesh).add(node.skin);
        add(node.camera).add(node.light).add(node.rest);
        addAll(node.children);
        addAll(node.instances);
        addAll(node.instanceStreams);
        addAll(node.instanceNames);
        return *this;
    }
    SceneHasher& add(const Object& object) {
        add(object.name).add(object.node).add(object.instance).add(object.asset);
        add(object.world).add(object.bounds).add(object.scale).add(object.castsShadow);
        add(object.culling.fadeStart).add(object.culling.end).add(object.culling.shadowEnd);
        add(object.culling.start).add(object.standIn);
        addAll(object.origins);
        return *this;
    }
    SceneHasher& add(const Image& image) {
        hasher_.add(image.hash).add(image.madeFrom);
        add(image.name).add(image.uri).add(image.mime).add(image.data != nullptr);
        return add(image.width).add(image.height).add(image.channels).add(image.rest);
    }
    SceneHasher& add(const Sampler& sampler) { return add(sampler.minFilter).add(sampler.rest); }
    SceneHasher& add(const Texture& texture) {
        add(texture.name).add(texture.image).add(texture.sampler).add(texture.rest);
        return add(texture.formatExtension).add(texture.formatImage);
    }
    SceneHasher& add(const TextureUse& use) {
        return add(use.role).add(use.texture).add(use.texCoord).add(use.transform);
    }
    SceneHasher& add(const Material& material) {
        add(material.name).add(material.baseColor).add(material.emissive);
        add(material.metallic).add(material.roughness).add(material.alphaMode);
        add(material.alphaCutoff).add(material.doubleSided).add(material.unlit);
        addAll(material.textures);
        return add(material.source);
    }
    SceneHasher& add(const Light& light) {
        add(light.name).add(light.type).add(light.color).add(light.intensity);
        return add(light.range).add(light.rest);
    }
    SceneHasher& add(const PlacedLight& light) {
        add(light.name).add(light.node).add(light.light).add(light.position);
        add(light.range).add(light.castsShadow).add(light.fadeStart).add(light.end);
        addAll(light.origins);
        return add(light.shadowEnd);
    }
    SceneHasher& add(const Skin& skin) {
        addAll(skin.joints);
        return add(skin.inverseBind).add(skin.rest);
    }
    SceneHasher& add(const Animation::Sampler& sampler) {
        return add(sampler.input).add(sampler.output).add(sampler.rest);
    }
    SceneHasher& add(const Animation& animation) {
        addAll(animation.samplers);
        return add(animation.name).add(animation.channels).add(animation.rest);
    }
    SceneHasher& add(const Note& note) { return add(note.where).add(note.what); }

    Hasher hasher_;
    std::map<const Stream*, Hash> streams_;
};

}  // namespace

int Material::texture(std::string_view role) const {
    const TextureUse* use = useOf(*this, role);
    return use ? use->texture : -1;
}

double errorScale(Importance importance) {
    switch (importance) {
        case Importance::Hero:
            return 0.5;
        case Importance::Normal:
            return 1;
        case Importance::Backdrop:
            return 2;
        case Importance::Keep:
            break;
    }
    return 0;
}

bool TextureUse::isMoved() const {
    return transform != Eigen::Matrix<float, 2, 3>::Identity();
}

bool PlacedLight::castsShadowFor(const Vec3d& eye) const {
    return castsShadow && !((position - eye).norm() >= shadowEnd);
}

double PlacedLight::fadeFor(const Vec3d& eye) const {
    const double distance = (position - eye).norm();
    if (distance >= end) return 0;
    if (distance <= fadeStart || !(fadeStart < end)) return 1;
    return (end - distance) / (end - fadeStart);
}

Box Scene::bounds() const {
    Box box;
    for (const Object& object : objects) box.extend(object.bounds);
    return box;
}

std::vector<Mat4d> worldTransforms(const std::vector<Node>& nodes) {
    std::vector<Mat4d> worlds(nodes.size(), Mat4d::Identity());
    visitDown(nodes, [&](std::size_t index) {
        const Node& node = nodes[index];
        worlds[index] = node.parent < 0 ? node.local : elementOf(worlds, node.parent) * node.local;
    });
    return worlds;
}

void numberOrigins(Scene& scene) {
    std::vector<std::string> names;
    for (Object& object : scene.objects) {
        object.origins = {static_cast<std::uint32_t>(names.size())};
        names.push_back(object.name);
    }
    for (std::size_t i = 0; i < scene.placedLights.size(); ++i)
        scene.placedLights[i].origins = {static_cast<std::uint32_t>(i)};
    scene.originNames = std::make_shared<const std::vector<std::string>>(std::move(names));
}

void flatten(Scene& scene) {
    std::map<std::pair<int, int>, Culling> culling;
    for (const Object& object : scene.objects)
        culling[{object.node, object.instance}] = object.culling;
    scene.objects.clear();
    scene.placedLights.clear();
    const std::vector<Mat4d> worlds = worldTransforms(scene.nodes);
    for (const int node : nodesBelow(scene, rootsOf(scene))) {
        addObjects(scene, node, worlds);
        addLight(scene, node, worlds);
    }
    for (Object& object : scene.objects) {
        const auto known = culling.find({object.node, object.instance});
        if (known != culling.end()) object.culling = known->second;
    }
    numberOrigins(scene);
}

Hash hashScene(const Scene& scene) {
    return SceneHasher().run(scene);
}

FLENTRO_DEFINE_VALUE(Node);
FLENTRO_DEFINE_VALUE(Image);
FLENTRO_DEFINE_VALUE(Material);
FLENTRO_DEFINE_VALUE(Scene);

}  // namespace flentro
