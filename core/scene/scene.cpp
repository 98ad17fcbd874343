#include "scene/scene.h"

#include <fmt/format.h>

#include <functional>
#include <map>

namespace flentro {
namespace {

/// A skinned mesh ignores its node; in the rest pose it stands where its first joint puts it.
Mat4d restPose(const Scene& scene, const Node& node, const std::vector<Mat4d>& worlds) {
    const Skin& skin = scene.skins[static_cast<std::size_t>(node.skin)];
    if (skin.joints.empty()) return Mat4d::Identity();
    Mat4d bind = Mat4d::Identity();
    if (skin.inverseBind && skin.inverseBind->count() > 0)
        for (int i = 0; i < 16; ++i) bind(i % 4, i / 4) = skin.inverseBind->value(0, i);
    return worlds[static_cast<std::size_t>(skin.joints.front())] * bind;
}

std::string nameOf(const Node& node, int instance) {
    if (instance < 0) return node.name;
    const auto index = static_cast<std::size_t>(instance);
    if (index < node.instanceNames.size()) return node.instanceNames[index];
    return fmt::format("{}[{}]", node.name, instance);
}

Object makeObject(const Scene& scene, int nodeIndex, int instance, const Mat4d& world) {
    const Node& node = scene.nodes[static_cast<std::size_t>(nodeIndex)];
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
    const Node& node = scene.nodes[static_cast<std::size_t>(nodeIndex)];
    if (node.mesh < 0) return;
    Mat4d world = worlds[static_cast<std::size_t>(nodeIndex)];
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
    const Node& node = scene.nodes[static_cast<std::size_t>(nodeIndex)];
    if (node.light < 0) return;
    const Light& light = scene.lights[static_cast<std::size_t>(node.light)];
    PlacedLight placed;
    placed.name = node.name.empty() ? light.name : node.name;
    placed.node = nodeIndex;
    placed.light = node.light;
    placed.position = worlds[static_cast<std::size_t>(nodeIndex)].topRightCorner<3, 1>();
    if (light.type != LightType::Directional) placed.range = light.range;
    const bool byLight = jsonOr(jsonObject(light.rest, "extras"), "castsShadow", false);
    placed.castsShadow = jsonOr(jsonObject(node.rest, "extras"), "castsShadow", byLight);
    scene.placedLights.push_back(placed);
}

std::vector<int> rootsOf(const Scene& scene) {
    std::vector<int> roots;
    if (scene.defaultScene < static_cast<int>(scene.scenes.size())) {
        const Json& first = scene.scenes[static_cast<std::size_t>(scene.defaultScene)];
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
        const auto& children = scene.nodes[static_cast<std::size_t>(index)].children;
        waiting.insert(waiting.end(), children.rbegin(), children.rend());
    }
    return order;
}

void hashLadder(Hasher& hasher, const Ladder& ladder) {
    hasher.add(ladder.levels.size()).add(ladder.hysteresis).text(ladder.crowd);
    for (const int cap : ladder.caps) hasher.add(cap);
    for (const Ladder::Level& level : ladder.levels)
        hasher.add(level.mesh->hash).add(level.deviation).add(level.switchDistance);
}

}  // namespace

int Material::texture(std::string_view role) const {
    for (const TextureUse& use : textures)
        if (use.role == role) return use.texture;
    return -1;
}

double allowance(Importance importance) {
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

Box Scene::bounds() const {
    Box box;
    for (const Object& object : objects) box.extend(object.bounds);
    return box;
}

std::vector<Mat4d> worldTransforms(const std::vector<Node>& nodes) {
    std::vector<Mat4d> worlds(nodes.size(), Mat4d::Identity());
    visitDown(nodes, [&](std::size_t index) {
        const Node& node = nodes[index];
        worlds[index] = node.parent < 0
                            ? node.local
                            : worlds[static_cast<std::size_t>(node.parent)] * node.local;
    });
    return worlds;
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
    std::vector<std::string> names;
    for (Object& object : scene.objects) {
        const auto known = culling.find({object.node, object.instance});
        if (known != culling.end()) object.culling = known->second;
        object.origins = {static_cast<std::uint32_t>(names.size())};
        names.push_back(object.name);
    }
    scene.originNames = std::make_shared<const std::vector<std::string>>(std::move(names));
}

Hash hashScene(const Scene& scene) {
    Hasher hasher;
    for (const Asset& asset : scene.assets) {
        hasher.text(asset.mesh->name).add(asset.mesh->hash).add(asset.importance);
        hashLadder(hasher, asset.ladder);
    }
    for (const Object& object : scene.objects) {
        hasher.text(object.name).add(object.asset).add(object.castsShadow);
        hasher.add(object.culling.fadeStart).add(object.culling.end).add(object.culling.shadowEnd);
        hasher.add(object.culling.start).add(object.standIn);
        for (const std::uint32_t origin : object.origins) hasher.add(origin);
        hasher.bytes(std::as_bytes(std::span(object.world.data(), 16)));
    }
    for (const Material& material : scene.materials) hasher.text(material.source.dump());
    for (const Image& image : scene.images) hasher.add(image.hash);
    for (const Texture& texture : scene.textures) hasher.add(texture.image).add(texture.sampler);
    for (const PlacedLight& light : scene.placedLights)
        hasher.text(light.name).add(light.range).add(light.castsShadow).add(light.end);
    return hasher.result();
}

}  // namespace flentro
